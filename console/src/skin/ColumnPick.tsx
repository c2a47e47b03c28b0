/** Choosing the columns of a breakdown. */
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
        Columns{hidden.size ? ` (${hidden.size} hidden)` : ''}
      </button>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: 'bottom', horizontal: 'left' }}
      >
        <fieldset className="columns">
          <legend className="small">Columns shown</legend>
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
