/** Beside a figure or at the head of a column of them: what it is and how it is computed. */
import { useState, type ReactNode } from 'react';
import Popover from '@mui/material/Popover';
import { HOW } from '../mind/how';

export type Figure = keyof typeof HOW;

/** A text that opens how the figures it names are computed. */
export function How({ of, children }: { of: Figure; children: ReactNode }) {
  const [at, setAt] = useState<HTMLElement | null>(null);
  return (
    <>
      <button type="button" className="asks" aria-haspopup="dialog" title="How is this computed?" onClick={(e) => setAt(e.currentTarget)}>{children}</button>
      <Popover open={at !== null} anchorEl={at} onClose={() => setAt(null)} anchorOrigin={{ vertical: 'bottom', horizontal: 'left' }}>
        <div role="dialog" aria-label="How this is computed" className="computed"><p>{HOW[of]}</p></div>
      </Popover>
    </>
  );
}

/** The head of a column of figures. */
export function Th({ how, left = false, children }: { how: Figure; left?: boolean; children: ReactNode }) {
  return <th scope="col" className={left ? undefined : 'num'}><How of={how}>{children}</How></th>;
}
