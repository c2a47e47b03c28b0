/** Every table and chart of the view, to copy or to save. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useState } from 'react';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import { useMaking } from '../mind/doing';
import { taken } from '../mind/taken';
import { csv, fileName, png, save, standalone, tabbed, toClipboard, xlsx, type Cell } from '../mind/taking';
import { Empty, ErrorNote } from './states';

interface Offered {
  title: string;
  cells?: Cell[][];
  chart?: SVGSVGElement;
}

const LEAST_CHART = { width: 180, height: 60 };

/** Finds what can be taken from the view: the rows that its tables offer, then its charts, named by their sections. */
function found(): Offered[] {
  const charts = [...document.querySelectorAll<SVGSVGElement>('.main svg')].filter((each) => {
    const box = each.getBoundingClientRect();
    return box.width >= LEAST_CHART.width && box.height >= LEAST_CHART.height;
  });
  const named = charts.map((chart) => {
    const near = chart.closest('section.sec')?.querySelector('h2') ?? document.querySelector('.main h1');
    return { title: near?.textContent?.trim() || t`This view`, chart };
  });
  return [...numbered(taken()), ...numbered(named)];
}

/** Tells apart what has the same name. */
function numbered<T extends { title: string }>(all: readonly T[]): T[] {
  const seen = new Map<string, number>();
  return all.map((each) => {
    const times = (seen.get(each.title) ?? 0) + 1;
    seen.set(each.title, times);
    return times > 1 ? { ...each, title: `${each.title}, ${times}` } : each;
  });
}

/** whole: opens the export of every row, where there is one. */
export function TakeDialog({ close, whole }: { close: () => void; whole: (() => void) | undefined }) {
  const [all] = useState(found);
  const [done, setDone] = useState('');
  const take = useMaking(setDone);
  const saved = (blob: Blob, name: string) => {
    save(blob, name);
    return t`Saved ${name}.`;
  };
  const tableWays = ({ title, cells }: Offered) =>
    cells === undefined
      ? []
      : ([
          [
            t`Copy`,
            async () => {
              await toClipboard(tabbed(cells));
              return t`${title}: copied.`;
            },
          ],
          ['CSV', async () => saved(new Blob([csv(cells)], { type: 'text/csv' }), fileName(title, 'csv'))],
          ['XLSX', async () => saved(await xlsx(title, cells), fileName(title, 'xlsx'))],
        ] as const);
  const chartWays = ({ title, chart }: Offered) =>
    chart === undefined
      ? []
      : ([
          ['PNG', async () => saved(await png(chart), fileName(title, 'png'))],
          ['SVG', async () => saved(new Blob([standalone(chart)], { type: 'image/svg+xml' }), fileName(title, 'svg'))],
        ] as const);
  return (
    <Dialog open onClose={close} aria-labelledby="take-title">
      <div style={{ padding: '16px 20px', display: 'grid', gap: 10, width: 520, maxWidth: '90vw' }}>
        <h2 id="take-title">
          <Trans>Copy or save</Trans>
        </h2>
        <p className="small">
          <Trans>Every column of the rows that are shown now, exactly.</Trans>
          {whole && (
            <>
              {' '}
              <button type="button" className="plain" onClick={whole}>
                <Trans>Every row of a reading, as a file…</Trans>
              </button>
            </>
          )}
        </p>
        {all.length === 0 && <Empty why={t`This view has no table and no chart.`} />}
        <ul className="taken">
          {all.map((each) => (
            <li key={`${each.title}${each.chart ? 1 : 0}`}>
              <span>
                {each.title}{' '}
                <span className="mut small">{each.cells ? t`table, ${each.cells.length - 1} rows` : t`chart`}</span>
              </span>
              <span>
                {[...tableWays(each), ...chartWays(each)].map(([name, work]) => (
                  <Button
                    key={name}
                    variant="text"
                    disabled={take.isPending}
                    aria-label={`${name}: ${each.title}`}
                    onClick={() => take.mutate(work)}
                  >
                    {name}
                  </Button>
                ))}
              </span>
            </li>
          ))}
        </ul>
        {take.isError && <ErrorNote error={take.error} />}
        <p className="small" role="status">
          {done}
        </p>
        <div style={{ textAlign: 'right' }}>
          <Button onClick={close}>
            <Trans>Close</Trans>
          </Button>
        </div>
      </div>
    </Dialog>
  );
}
