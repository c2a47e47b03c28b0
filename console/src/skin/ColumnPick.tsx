/** Choosing the columns of a breakdown. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useState } from 'react';
import Popover from '@mui/material/Popover';
import { COLUMNS, show, useHidden } from '../mind/columns';

export function ColumnPick() {
  const hidden = useHidden();
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  return (
    <>
      <button
        type="button"
        className="plain"
        aria-haspopup="dialog"
        aria-expanded={anchor !== null}
        onClick={(e) => setAnchor(e.currentTarget)}
      >
        <Trans>Columns{hidden.size ? t` (${hidden.size} hidden)` : ''}</Trans>
      </button>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: 'bottom', horizontal: 'left' }}
      >
        <fieldset className="columns">
          <legend className="small">
            <Trans>Columns shown</Trans>
          </legend>
          {COLUMNS.map(([name, label]) => (
            <label key={name}>
              <input type="checkbox" checked={!hidden.has(name)} onChange={(e) => show(name, e.target.checked)} />{' '}
              {label}
            </label>
          ))}
        </fieldset>
      </Popover>
    </>
  );
}
