/** Drivers: posts for before and now, floating bars between, each pointing the way it pushes. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import type { Drivers } from '../mind/api';
import { count, signed, fixed } from '../mind/words';
import { How } from './How';

const DEMAND = [['demand', t`Demand`, t`more people searching`, t`fewer people searching`]] as const;
const SEASONED = [
  ['season', t`Season`, t`as every year`, t`as every year`],
  ['demand_beyond', t`Demand beyond`, t`more people searching`, t`fewer people searching`],
] as const;
const OTHERS = [
  ['rank', t`Rank`, t`placed higher`, t`placed lower`],
  ['appeal', t`Appeal`, t`chosen more often`, t`chosen less often`],
  ['entered', t`New queries`, t`not seen before`, t`not seen before`],
  ['left', t`Lost queries`, t`seen before, not now`, t`seen before, not now`],
  ['unlisted', t`Unlisted`, t`withheld by the source`, t`withheld by the source`],
] as const;

export function Posts({
  found,
  chosen,
  choose,
}: {
  found: Drivers;
  chosen?: string | undefined;
  choose: (driver: string | undefined) => void;
}) {
  const before = found.before.clicks * found.times;
  const parts = [...(found.demand_beyond === null ? DEMAND : SEASONED), ...OTHERS];
  const ends = [before];
  for (const [name] of parts) ends.push((ends.at(-1) ?? 0) + (found[name] ?? 0));
  const low = Math.min(...ends);
  const reach = Math.max(...ends) - low || 1;
  const x = (value: number) => 2 + (96 * (value - low)) / reach;
  return (
    <>
      <div className="posts">
        <Post name={t`Before`} at={x(before)} value={before} />
        {parts.map(([name, title, more, fewer], n) => {
          const value = found[name] ?? 0;
          const driver = name === 'demand_beyond' ? 'demand' : name;
          const made = name !== 'unlisted' && name !== 'season';
          return (
            <Part
              key={name}
              name={name}
              title={title}
              said={value >= 0 ? more : fewer}
              chosen={chosen === driver}
              choose={made ? () => choose(chosen === driver ? undefined : driver) : undefined}
              value={value}
              from={x(ends[n] ?? 0)}
              to={x(ends[n + 1] ?? 0)}
            />
          );
        })}
        <Post name={t`Now`} at={x(found.now.clicks)} value={found.now.clicks} />
      </div>
      <p className="small" style={{ marginTop: 6 }}>
        <Trans>
          The {parts.length === 6 ? t`six` : t`seven`} parts add up to {signed(found.now.clicks - before)} exactly
          {found.times === 1
            ? ''
            : t`; what was before is taken for as many days as now, times ${fixed(found.times, 3)}`}
          . A fall in rank can itself lower impressions.
        </Trans>
      </p>
    </>
  );
}

function Post({ name, at, value }: { name: string; at: number; value: number }) {
  return (
    <>
      <div>
        <b>{name}</b>
      </div>
      <div className="b">
        <i className="post" style={{ left: `calc(${at}% - 1px)` }} />
      </div>
      <div className="n">
        <b>{count(value)}</b>
      </div>
    </>
  );
}

function Part({
  name,
  title,
  said,
  value,
  from,
  to,
  chosen,
  choose,
}: {
  name: string;
  title: string;
  said: string;
  value: number;
  from: number;
  to: number;
  chosen: boolean;
  choose: (() => void) | undefined;
}) {
  const [left, width] = [Math.min(from, to), Math.abs(to - from)];
  const way = value >= 0 ? 'better' : 'worse';
  // a season is earned by nobody
  const tone = name === 'season' ? 'ghost' : way;
  const hatch = `repeating-linear-gradient(135deg, var(--${way}) 0 2px, transparent 2px 5px)`;
  const point =
    width < 3
      ? undefined
      : value >= 0
        ? 'polygon(0 0, calc(100% - 5px) 0, 100% 50%, calc(100% - 5px) 100%, 0 100%)'
        : 'polygon(5px 0, 100% 0, 100% 100%, 5px 100%, 0 50%)';
  return (
    <>
      <div>
        {choose ? (
          <button type="button" className="link" aria-pressed={chosen} onClick={choose}>
            <b>{title}</b>
          </button>
        ) : (
          <b>{title}</b>
        )}
        <small>
          <How of={`drivers.${name}`}>{said}</How>
        </small>
        <span className="vh">
          <Trans>{signed(value)} clicks</Trans>
        </span>
      </div>
      <div className="b">
        <i
          style={{
            left: `${left}%`,
            width: `${width}%`,
            background: name === 'unlisted' ? hatch : `var(--${tone})`,
            clipPath: point,
          }}
        />
      </div>
      <div className={name === 'season' ? 'n' : `n ${way}`}>{signed(value)}</div>
    </>
  );
}
