/** What moved between two result pages: a curve from each result to where it stands on the other. */
import { useLayoutEffect, useRef, useState } from 'react';

interface Result {
  readonly url: string;
  readonly rank: number;
  readonly own: boolean;
}
interface Listed {
  readonly results: readonly Result[];
}
interface Curve {
  readonly key: string;
  readonly from: number | undefined;
  readonly to: number | undefined;
  readonly look: 'own better' | 'own worse' | 'own' | 'other';
}

const WIDE = 84;
const STUB = 12;

export function Joined({ left, right }: { left: Listed | undefined; right: Listed | undefined }) {
  const here = useRef<HTMLDivElement>(null);
  const [curves, setCurves] = useState<readonly Curve[]>([]);
  useLayoutEffect(() => {
    const lay = () => setCurves(left && right && here.current ? laid(here.current, left, right) : []);
    lay();
    window.addEventListener('resize', lay);
    return () => window.removeEventListener('resize', lay);
  }, [left, right]);
  return (
    <div ref={here} className="joined" aria-hidden="true">
      <svg width={WIDE} height="100%">
        {curves.map((each) => (
          <path key={each.key} className={each.look} d={path(each)} />
        ))}
      </svg>
    </div>
  );
}

/** Where the rows of either page stand, from the top of what lies between them. */
function laid(between: HTMLElement, left: Listed, right: Listed): Curve[] {
  const top = between.getBoundingClientRect().top;
  const [first, second] = Array.from(between.parentElement?.querySelectorAll('table') ?? [], (table) => {
    const rows = Array.from(table.querySelectorAll<HTMLElement>('tr[data-result]'));
    return new Map(
      rows.map((row) => {
        const box = row.getBoundingClientRect();
        return [row.dataset.result ?? '', box.top + box.height / 2 - top];
      }),
    );
  });
  if (!first || !second) return [];
  const now = new Map(right.results.map((each) => [each.url, each]));
  const gone = left.results.map((was, n) => ({
    key: `${n} ${was.url}`,
    from: first.get(was.url),
    to: second.get(was.url),
    look: look(was, now.get(was.url)),
  }));
  const came = right.results.filter((each) => !first.has(each.url));
  return [
    ...gone,
    ...came.map((each, n) => ({
      key: `new ${n} ${each.url}`,
      from: undefined,
      to: second.get(each.url),
      look: each.own ? ('own better' as const) : ('other' as const),
    })),
  ];
}

function look(was: Result, is: Result | undefined): Curve['look'] {
  if (!was.own) return 'other';
  if (!is || is.rank > was.rank) return 'own worse';
  return is.rank < was.rank ? 'own better' : 'own';
}

/** A curve; a stub where a result left, or came. */
function path({ from, to }: Curve): string {
  if (from === undefined) return to === undefined ? '' : `M${WIDE - STUB} ${to - 3}v6m0 -3H${WIDE}`;
  if (to === undefined) return `M0 ${from}H${STUB}m0 -3v6`;
  return `M0 ${from}C${WIDE / 2} ${from} ${WIDE / 2} ${to} ${WIDE} ${to}`;
}
