/** Beside a figure or at the head of a column of them: what it is and how it is computed. */
import { t } from '@lingui/core/macro';
import { useState, type ReactNode } from 'react';
import Popover from '@mui/material/Popover';
import { columnNamed, useReadings } from '../mind/catalogue';

/** A text that opens how the figures it names are computed. of: "reading.column"; says: where no reading has them. */
export function How({ of, says, children }: { of?: string; says?: string; children: ReactNode }) {
  const [at, setAt] = useState<HTMLElement | null>(null);
  const readings = useReadings();
  const text = says ?? (of ? columnNamed(readings, of)?.how : undefined);
  if (!text) return <>{children}</>;
  return (
    <>
      <button
        type="button"
        className="asks"
        aria-haspopup="dialog"
        title={t`How is this computed?`}
        onClick={(e) => setAt(e.currentTarget)}
      >
        {children}
      </button>
      <Popover
        open={at !== null}
        anchorEl={at}
        onClose={() => setAt(null)}
        anchorOrigin={{ vertical: 'bottom', horizontal: 'left' }}
      >
        <div role="dialog" aria-label={t`How this is computed`} className="computed">
          <p>{text}</p>
        </div>
      </Popover>
    </>
  );
}

/** The head of a column of figures. */
export function Th({
  how,
  says,
  left = false,
  children,
}: {
  how?: string;
  says?: string;
  left?: boolean;
  children: ReactNode;
}) {
  return (
    <th scope="col" className={left ? undefined : 'num'}>
      <How of={how} says={says}>
        {children}
      </How>
    </th>
  );
}
