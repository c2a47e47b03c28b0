/** The dialog in which raw days or any reading are written to a file; its form comes when it is opened. */
import { Suspense, lazy } from 'react';
import Dialog from '@mui/material/Dialog';
import type { Frame } from '../mind/frame';
import { Waiting } from './states';

const ExportForm = lazy(() => import('./ExportForm'));

/** view: what it opens with is what that view shows. grain: or the days of this dataset. */
export function ExportDialog({
  open,
  close,
  site,
  frame,
  view = '',
  grain = 'pair',
}: {
  open: boolean;
  close: () => void;
  site: string;
  frame: Frame;
  view?: string;
  grain?: string;
}) {
  return (
    <Dialog open={open} onClose={close} aria-labelledby="export-title">
      {open && (
        <Suspense fallback={<Waiting height={300} />}>
          <ExportForm close={close} site={site} frame={frame} view={view} grain={grain} />
        </Suspense>
      )}
    </Dialog>
  );
}
