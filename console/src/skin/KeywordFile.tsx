/** A file of keywords before it is taken: what each column is read as, and what would come of it. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import Button from '@mui/material/Button';
import { named } from '../mind/named';
import type { ColumnRole, KeywordFileTaken } from '../mind/api';
import { ROLES } from '../mind/files';
import { count } from '../mind/words';
import { ErrorNote } from './states';

interface Props {
  names: readonly string[];
  read: Record<string, string>;
  taken: KeywordFileTaken | undefined;
  done: boolean;
  busy: boolean;
  error: Error | null;
  choose: (name: string, role: ColumnRole) => void;
  take: () => void;
  leave: () => void;
}

export function KeywordFile({ names, read, taken, done, busy, error, choose, take, leave }: Props) {
  return (
    <div className="stack" role="region" aria-label={t`The file`}>
      <table className="t">
        <thead>
          <tr>
            <th scope="col">
              <Trans>Column of the file</Trans>
            </th>
            <th scope="col">
              <Trans>is</Trans>
            </th>
          </tr>
        </thead>
        <tbody>
          {names.map((name) => (
            <tr key={name}>
              <th scope="row">{name}</th>
              <td>
                <select
                  className="inline"
                  aria-label={t`${name} is`}
                  value={read[name] ?? 'ignore'}
                  disabled={busy || done}
                  onChange={(e) => choose(name, e.target.value as ColumnRole)}
                >
                  {ROLES.map((role) => (
                    <option key={role} value={role}>
                      {role === 'ignore' ? t`not read` : named(role)}
                    </option>
                  ))}
                </select>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {error && <ErrorNote error={error} />}
      {taken && (
        <p className="small" role="status">
          <Trans>
            {done ? t`${count(taken.adding)} added` : t`${count(taken.adding)} would be added`}, {count(taken.repeats)}{' '}
            tracked already, {count(taken.refused.length)} lines cannot be used.
          </Trans>
        </p>
      )}
      {taken && taken.refused.length > 0 && (
        <ul className="small">
          {taken.refused.slice(0, 10).map((line) => (
            <li key={line}>{line}</li>
          ))}
        </ul>
      )}
      <div style={{ display: 'flex', gap: 8 }}>
        {!done && (
          <Button type="button" variant="contained" disabled={busy || !taken?.adding} onClick={take}>
            <Trans>Track these</Trans>
          </Button>
        )}
        <Button type="button" onClick={leave}>
          {done ? t`Done` : t`Leave it`}
        </Button>
      </div>
    </div>
  );
}
