/** What result pages show besides results: how often, how often ours, what it does to click-through; and the cross-check. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { named } from '../mind/named';
import type { FeatureEffect, FeatureOwners, OwnedKeyword, OwnerRow, ResultFeatures } from '../mind/api';
import { carried, useFrame } from '../mind/frame';
import { crossCheck, featureEffect, featureOwners, featureTurns, resultFeatures, tracked } from '../mind/ranks';
import { useTaken } from '../mind/taken';
import { DASH, count, percent, shortDay } from '../mind/words';
import { ReadingTable } from '../skin/ReadingTable';
import { Said } from '../skin/Said';
import { WindowBar } from '../skin/WindowBar';
import { Cautions, Pager, Spark } from '../skin/small';
import { Answer, Empty, Section } from '../skin/states';

const MOST_KEYWORDS = 40;

export default function Features() {
  const { site, search } = useFrame();
  const found = useQuery(resultFeatures(site, tracked(search)));
  return (
    <>
      <WindowBar read={found.data} usual="P84D" ranks />
      <main className="page">
        <div className="head">
          <h1>
            <Trans>Features</Trans>
          </h1>
          <span className="small">
            <Trans>what result pages show besides plain results</Trans>
          </span>
        </div>
        <div className="stack">
          <Answer of={found} height={400}>
            {(data) => (
              <div className={found.isPlaceholderData ? 'stale' : undefined}>
                <Said sentences={data.sentences} />
                {data.rows.length ? (
                  <div className="stack">
                    <Presence data={data} />
                    <Turns data={data} />
                    <Effect data={data} />
                    <Owners data={data} />
                  </div>
                ) : (
                  <Empty why={t`No result page showed anything but plain results.`} />
                )}
                <Cautions items={data.cautions} />
              </div>
            )}
          </Answer>
          <Cross />
        </div>
      </main>
    </>
  );
}

/** Each feature's presence step for step; the filled part led to the site. */
function Presence({ data }: { data: ResultFeatures }) {
  useTaken(t`Features`, 'result-features', data, '', data.rows);
  const { search, change } = useFrame();
  const chosen = search.get('feature') ?? data.rows[0]?.feature;
  return (
    <Section
      title={t`There, and ours`}
      about={t`of ${count(data.checks)} lookups; the filled part led to the site`}
      label={t`Features by week`}
    >
      <div className="wrap">
        <table className="t">
          <thead>
            <tr>
              <th scope="col">
                <Trans>Feature</Trans>
              </th>
              <th scope="col" className="num">
                <Trans>present</Trans>
              </th>
              <th scope="col" className="num">
                <Trans>before</Trans>
              </th>
              <th scope="col" className="num">
                <Trans>ours</Trans>
              </th>
              <th scope="col" className="num">
                <Trans>before</Trans>
              </th>
              <th scope="col">
                {data.steps[0] ? t`${shortDay(data.steps[0].first)} to ${shortDay(data.steps.at(-1)?.last ?? '')}` : ''}
              </th>
              <th scope="col" className="num">
                <Trans>keywords</Trans>
              </th>
              <th scope="col" className="num">
                <Trans>ours at</Trans>
              </th>
            </tr>
          </thead>
          <tbody>
            {data.rows.map((row) => (
              <tr key={row.feature} className={row.feature === chosen ? 'own' : undefined}>
                <th scope="row">
                  <button
                    type="button"
                    className="plain"
                    aria-pressed={row.feature === chosen}
                    onClick={() => change({ feature: row.feature })}
                  >
                    {named(row.feature)}
                  </button>
                </th>
                <td className="num now">{percent(row.present, 0)}</td>
                <td className="num was">{percent(row.present_before, 0)}</td>
                <td className="num now">{percent(row.owned, 0)}</td>
                <td className="num was">{percent(row.owned_before, 0)}</td>
                <td>
                  <Bars
                    steps={row.steps}
                    owned={row.owned_steps}
                    label={t`${named(row.feature)} by ${named(data.step)}`}
                  />
                </td>
                <td className="num">{count(row.keywords)}</td>
                <td className="num">{count(row.owned_keywords)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Section>
  );
}

function Bars({
  steps,
  owned,
  label,
}: {
  steps: ReadonlyArray<number | null>;
  owned: ReadonlyArray<number | null>;
  label: string;
}) {
  const height = 24;
  const wide = Math.max(3, Math.min(14, Math.floor(240 / Math.max(1, steps.length))));
  return (
    <svg width={wide * steps.length} height={height} role="img" aria-label={label} className="featurebars">
      {steps.map((share, n) => {
        if (share === null)
          return <rect key={n} x={n * wide} y={height - 2} width={wide - 1} height={2} className="none" />;
        const tall = share * (height - 1);
        const mine = tall * (owned[n] ?? 0);
        return (
          <g key={n}>
            <rect x={n * wide} y={height - tall} width={wide - 1} height={tall} className="there" />
            <rect x={n * wide} y={height - mine} width={wide - 1} height={mine} className="own" />
          </g>
        );
      })}
    </svg>
  );
}

function Effect({ data }: { data: ResultFeatures }) {
  const { site, search } = useFrame();
  const feature = search.get('feature') ?? data.rows[0]?.feature ?? '';
  const found = useQuery(featureEffect(site, feature, tracked(search)));
  const name = named(feature);
  return (
    <Section
      title={t`What it does to click-through: ${name}`}
      about={t`over the last twelve months, at equal places`}
      label={t`Effect on click-through`}
    >
      <Answer of={found} height={90}>
        {(effect) => (
          <div className="effect">
            <Said sentences={effect.sentences} />
            {effect.ratio !== null && <Interval effect={effect} />}
            <p className="small">
              <Trans>
                {count(effect.strata)} strata of {count(effect.queries)} queries, {count(effect.days_with)} query days
                with it and {count(effect.days_without)} without: the same query on the same device at the same nearest
                place, on weekdays or at weekends, on days of both kinds.
              </Trans>
            </p>
          </div>
        )}
      </Answer>
    </Section>
  );
}

/** Where the chosen feature came to result pages and stays, or left them. */
function Turns({ data }: { data: ResultFeatures }) {
  const { site, search } = useFrame();
  const feature = search.get('feature') ?? data.rows[0]?.feature ?? '';
  const found = useQuery(featureTurns(site, feature, tracked(search)));
  const name = named(feature);
  if (!found.data?.rows.length) return null;
  return (
    <Section title={t`Came and left: ${name}`} about="" label={t`Came and left`} stale={found.isPlaceholderData}>
      <Said sentences={found.data.sentences} className="small" />
      <ReadingTable reading="feature-turns" title={t`Came and left: ${name}`} answer={found.data} />
    </Section>
  );
}

/** Whose pages the feature leads to: domains, and keyword by keyword with ours. */
function Owners({ data }: { data: ResultFeatures }) {
  const { site, search } = useFrame();
  const feature = search.get('feature') ?? data.rows[0]?.feature ?? '';
  const found = useQuery(featureOwners(site, feature, tracked(search)));
  const name = named(feature);
  return (
    <Section
      title={t`Whom it leads to: ${name}`}
      about={found.data ? t`of ${count(found.data.lookups)} lookups that showed it` : ''}
      label={t`Whom it leads to`}
    >
      <Answer of={found} height={160}>
        {(owners) => (
          <div className={found.isPlaceholderData ? 'stale stack' : 'stack'}>
            <Said sentences={owners.sentences} />
            {owners.rows.length > 0 && <Domains of={owners} />}
            {owners.keywords.length > 0 && (
              <ReadingTable
                reading="feature-owners"
                table="keyword"
                title={t`Keyword by keyword`}
                answer={owners}
                most={MOST_KEYWORDS}
                cells={{
                  term: (row: OwnedKeyword) => (
                    <Link to={`/sites/${site}/keywords/${row.number}${carried(search)}`}>{row.term}</Link>
                  ),
                }}
              />
            )}
            {owners.keywords.length > MOST_KEYWORDS && (
              <p className="small">
                <Trans>
                  The heaviest {MOST_KEYWORDS} of {count(owners.keywords.length)} keywords; narrow by tag or device, or
                  save all.
                </Trans>
              </p>
            )}
          </div>
        )}
      </Answer>
    </Section>
  );
}

function Domains({ of }: { of: FeatureOwners }) {
  const { site, search } = useFrame();
  return (
    <ReadingTable
      reading="feature-owners"
      title={t`Domains it leads to`}
      answer={of}
      cells={{
        domain: (row: OwnerRow) => (
          <span
            className={row.own ? 'own' : undefined}
            style={{ display: 'inline-flex', gap: 8, alignItems: 'center' }}
          >
            <Link to={`/sites/${site}/competitors/${row.domain}${carried(search)}`}>{row.domain}</Link>
            <Spark values={row.shares} width={72} height={18} label={t`${row.domain} by ${named(of.step)}`} />
          </span>
        ),
      }}
    />
  );
}

/** The ratio and its interval beside 1, where nothing changes. */
function Interval({ effect }: { effect: FeatureEffect }) {
  const low = effect.low ?? 1;
  const high = effect.high ?? 1;
  const most = Math.max(1.5, high * 1.1);
  const x = (value: number) => 10 + (360 * value) / most;
  return (
    <svg
      width={380}
      height={42}
      role="img"
      aria-label={t`Ratio ${percent(effect.ratio, 0)}, 95% interval ${percent(low, 0)} to ${percent(high, 0)}`}
      className="interval"
    >
      <path d={`M10 24H370`} className="axis" />
      <path d={`M${x(1)} 10V32`} className="one" />
      <text x={x(1)} y={41} textAnchor="middle">
        <Trans>no effect</Trans>
      </text>
      <path d={`M${x(low)} 24H${x(high)}`} className="span" />
      <circle cx={x(effect.ratio ?? 1)} cy={24} r={4.5} className="now" />
      <text x={x(effect.ratio ?? 1)} y={14} textAnchor="middle">
        {effect.ratio === null ? DASH : percent(effect.ratio, 0)}
      </text>
    </svg>
  );
}

function Cross() {
  const { site, search } = useFrame();
  const found = useQuery(crossCheck(site, tracked(search)));
  return (
    <Section
      title={t`Cross-check`}
      about={t`tracked ranks beside the provider’s averages: same query, engine, device, country and day`}
      label={t`Cross-check`}
    >
      <Answer of={found} height={160}>
        {(data) => (
          <>
            <Said sentences={data.sentences} />
            {data.rows.length > 0 && (
              <ReadingTable reading="cross-check" title={t`Cross-check`} answer={data} most={40} />
            )}
            <Pager data={data} limit={100} />
          </>
        )}
      </Answer>
    </Section>
  );
}
