/** Every table and chart of the view, to copy or to save. */
import { useState } from 'react';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import { useMutation } from '@tanstack/react-query';
import { cellsOf, csv, fileName, png, save, standalone, tabbed, xlsx } from '../mind/taking';
import { Empty, ErrorNote } from './states';

interface Taken { title: string; table?: HTMLTableElement; chart?: SVGSVGElement }

const LEAST_CHART = { width: 180, height: 60 };

/** Finds what can be taken from the view, in reading order, each named by its section. */
function found(): Taken[] {
  const all = [...document.querySelectorAll<HTMLElement | SVGSVGElement>('.main table, .main svg')];
  const kept = all.filter((each) => {
    if (each.tagName === 'TABLE') return (each as HTMLTableElement).rows.length > 0;
    const box = each.getBoundingClientRect();
    return box.width >= LEAST_CHART.width && box.height >= LEAST_CHART.height;
  });
  const seen = new Map<string, number>();
  return kept.map((each) => {
    const near = each.closest('section.sec')?.querySelector('h2') ?? document.querySelector('.main h1');
    const name = near?.textContent?.trim() || 'This view';
    const times = (seen.get(name) ?? 0) + 1;
    seen.set(name, times);
    const title = times > 1 ? `${name}, ${times}` : name;
    return each instanceof HTMLTableElement ? { title, table: each } : { title, chart: each as SVGSVGElement };
  });
}

/** whole: opens the export of every row, where there is one. */
export function TakeDialog({ close, whole }: { close: () => void; whole: (() => void) | undefined }) {
  const [all] = useState(found);
  const [done, setDone] = useState('');
  const take = useMutation({ mutationFn: (work: () => Promise<string>) => work(), onSuccess: setDone });
  const locale = navigator.language;
  const saved = (blob: Blob, name: string) => { save(blob, name); return `Saved ${name}.`; };
  const tableWays = ({ title, table }: Taken) => table === undefined ? [] : [
    ['Copy', async () => { await navigator.clipboard.writeText(tabbed(cellsOf(table, locale))); return `${title}: copied.`; }],
    ['CSV', async () => saved(new Blob([csv(cellsOf(table, locale))], { type: 'text/csv' }), fileName(title, 'csv'))],
    ['XLSX', async () => saved(await xlsx(title, cellsOf(table, locale)), fileName(title, 'xlsx'))],
  ] as const;
  const chartWays = ({ title, chart }: Taken) => chart === undefined ? [] : [
    ['PNG', async () => saved(await png(chart), fileName(title, 'png'))],
    ['SVG', async () => saved(new Blob([standalone(chart)], { type: 'image/svg+xml' }), fileName(title, 'svg'))],
  ] as const;
  return (
    <Dialog open onClose={close} aria-labelledby="take-title">
      <div style={{ padding: '16px 20px', display: 'grid', gap: 10, width: 520, maxWidth: '90vw' }}>
        <h2 id="take-title">Copy or save</h2>
        <p className="small">As it is shown now.{whole && <> <button type="button" className="plain" onClick={whole}>Every row of a reading, as a file…</button></>}</p>
        {all.length === 0 && <Empty why="This view has no table and no chart." />}
        <ul className="taken">
          {all.map((each) => (
            <li key={`${each.title}${each.chart ? 1 : 0}`}>
              <span>{each.title} <span className="mut small">{each.table ? `table, ${each.table.tBodies[0]?.rows.length ?? 0} rows` : 'chart'}</span></span>
              <span>
                {[...tableWays(each), ...chartWays(each)].map(([name, work]) => (
                  <Button key={name} variant="text" disabled={take.isPending} aria-label={`${name}: ${each.title}`} onClick={() => take.mutate(work)}>{name}</Button>
                ))}
              </span>
            </li>
          ))}
        </ul>
        {take.isError && <ErrorNote error={take.error} />}
        <p className="small" role="status">{done}</p>
        <div style={{ textAlign: 'right' }}><Button onClick={close}>Close</Button></div>
      </div>
    </Dialog>
  );
}
