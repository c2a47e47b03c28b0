/** Finding a place by its name; the one chosen is handed on. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import TextField from '@mui/material/TextField';
import type { PlaceOut } from '../mind/api';
import { count } from '../mind/words';
import { ErrorNote } from './states';

interface Props {
  label: string;
  of: {
    find: string;
    type: (text: string) => void;
    found: readonly PlaceOut[] | undefined;
    error: Error | null;
    busy: boolean;
  };
  choose: (place: PlaceOut) => void;
}

export function PlaceFind({ label, of, choose }: Props) {
  const { find, type, found, error, busy } = of;
  return (
    <div className="placefind">
      <TextField
        label={label}
        value={find}
        size="small"
        fullWidth
        autoComplete="off"
        onChange={(e) => type(e.target.value)}
        slotProps={{ htmlInput: { 'aria-describedby': 'places-found' } }}
      />
      <div id="places-found" aria-live="polite">
        {busy && !found && (
          <p className="small">
            <Trans>Looking…</Trans>
          </p>
        )}
        {error && <ErrorNote error={error} />}
        {found && find.trim().length > 1 && (
          <ul aria-label={t`Places found`}>
            {found.map((each, n) => (
              <li key={n}>
                <button
                  type="button"
                  className="plain"
                  onClick={() => {
                    choose(each);
                    type('');
                  }}
                >
                  {each.name}
                </button>{' '}
                <span className="small mut">{about(each)}</span>
              </li>
            ))}
            {!found.length && (
              <li className="small">
                <Trans>None begins so. Coordinates can be typed as they are.</Trans>
              </li>
            )}
          </ul>
        )}
      </div>
    </div>
  );
}

function about(place: PlaceOut): string {
  const people = place.people ? t`${count(place.people)} people` : '';
  return [place.kind === 'town' ? '' : place.kind, place.region, place.country, people].filter(Boolean).join(', ');
}
