/** Going to a client or a view by its name. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useEffect, useRef, useState } from 'react';
import Autocomplete from '@mui/material/Autocomplete';
import Dialog from '@mui/material/Dialog';
import TextField from '@mui/material/TextField';
import { useNavigate } from 'react-router';
import { goals, viewGoals, type Goal } from '../mind/places';
import { useSites } from '../mind/asked';
import { ErrorNote } from './states';

type Offered = Goal & { of: string };

interface From {
  close: () => void;
  site: string | undefined;
  view: string | undefined;
  search: string;
}

export default function Jump(from: From) {
  return (
    <Dialog
      open
      onClose={from.close}
      aria-labelledby="jump-title"
      slotProps={{ container: { style: { alignItems: 'start' } } }}
    >
      <div className="jump">
        <h2 id="jump-title">
          <Trans>Go to</Trans>
        </h2>
        <Field {...from} />
      </div>
    </Dialog>
  );
}

function Field({ close, site, view, search }: From) {
  const [text, setText] = useState('');
  const known = useSites();
  const navigate = useNavigate();
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => field.current?.focus(), []);
  const offered: Offered[] = [
    ...goals(text, known.data ?? [], view, search).map((goal) => ({ ...goal, of: 'client' })),
    ...viewGoals(text, site, search).map((goal, n) => ({ ...goal, of: n ? 'view' : 'view first' })),
  ];
  return (
    <>
      <Autocomplete<Offered>
        open
        autoHighlight
        openOnFocus
        disablePortal
        forcePopupIcon={false}
        clearOnBlur={false}
        options={offered}
        filterOptions={(all) => all}
        getOptionLabel={(goal) => goal.name}
        getOptionKey={(goal) => goal.of + goal.to}
        isOptionEqualToValue={(a, b) => a.to === b.to}
        inputValue={text}
        onInputChange={(_, next, why) => {
          if (why === 'input') setText(next);
        }}
        onChange={(_, goal) => {
          if (goal) {
            close();
            void navigate(goal.to);
          }
        }}
        onClose={(_, why) => {
          if (why === 'escape') close();
        }}
        noOptionsText={known.isPending ? t`Reading…` : t`No client and no view is called so.`}
        renderOption={({ key, ...props }, goal) => (
          <li key={key} {...props} className={`${props.className ?? ''} ${goal.of}`}>
            <span>{goal.name}</span>
            <span className="small">{goal.about}</span>
          </li>
        )}
        renderInput={(params) => (
          <TextField {...params} inputRef={field} label={t`Client or view`} placeholder={t`skerry, or skerry fading`} />
        )}
        slotProps={{
          popper: { className: 'jumplist', modifiers: [{ name: 'flip', enabled: false }] },
          listbox: { style: { maxHeight: 'min(350px, calc(70vh - 110px))', padding: 0 } },
        }}
      />
      {known.isError && <ErrorNote error={known.error} again={() => void known.refetch()} />}
    </>
  );
}
