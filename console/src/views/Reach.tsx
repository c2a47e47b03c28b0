/** What could be won just below a better band: by query, and summed by page. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useQuery } from '@tanstack/react-query';
import { named } from '../mind/named';
import type { Reach as Found } from '../mind/api';
import { useFrame } from '../mind/frame';
import { reach } from '../mind/questions';
import { count, percent, place } from '../mind/words';
import { Questions } from './ToWin';
import { Said } from '../skin/Said';
import { WindowBar } from '../skin/WindowBar';
import { BandChip, Cautions, Pager } from '../skin/small';
import { Answer, Empty, Section } from '../skin/states';
import { ReadingTable } from '../skin/ReadingTable';

const LIMIT = 50;

export default function Reach() {
  const { site, frame, search } = useFrame();
  const offset = Number(search.get('offset') ?? '0') || 0;
  const found = useQuery(reach(site, frame, { limit: LIMIT, offset }));
  return (
    <>
      <WindowBar read={found.data} />
      <main className="page">
        <div className="head">
          <h1>
            <Trans>Within reach</Trans>
          </h1>
          <Questions of="reach" />
          <span className="small">
            <Trans>Places 3.6 to 20.5, shown often enough, no brand queries.</Trans>
          </span>
        </div>
        <Answer of={found} height={460}>
          {(data) => (
            <div className={found.isPlaceholderData ? 'stale' : undefined}>
              <Said sentences={data.sentences} />
              {data.matching === 0 ? (
                <Empty why={t`Nothing lies just below a better band in this window.`} />
              ) : (
                <div className="cols side">
                  <Queries data={data} />
                  <div className="stack">
                    <Pages data={data} />
                    <Curve data={data} />
                  </div>
                </div>
              )}
              <Cautions items={data.cautions} />
            </div>
          )}
        </Answer>
      </main>
    </>
  );
}

const BAND = { position: (row: Row) => <BandChip position={row.figures.position} band={row.band} /> };
const SHORT = {
  impressions: named('shown'),
  position: t({ message: 'place', context: 'among the results' }),
  gain_low: t`at least`,
  gain_high: t`at most`,
};
const QUERIES = ['query', 'page', 'clicks', 'impressions', 'position', 'target', 'gain', 'gain_low', 'gain_high'];

type Row = Found['rows'][number];

function Queries({ data }: { data: Found }) {
  const last = data.offset + data.rows.length;
  return (
    <Section
      title={t`By query`}
      about={t`${count(data.offset + 1)} to ${count(last)} of ${count(data.matching)}`}
      label={t`By query`}
    >
      <ReadingTable
        reading="within-reach"
        title={t`By query`}
        answer={data}
        names={QUERIES}
        heads={SHORT}
        cells={BAND}
      />
      <Pager data={data} limit={LIMIT} />
    </Section>
  );
}

function Pages({ data }: { data: Found }) {
  return (
    <Section title={t`By page`} about={t`all its queries together`} label={t`By page`}>
      <ReadingTable reading="within-reach" table="page" title={t`By page`} answer={data} heads={SHORT} most={8} />
    </Section>
  );
}

const WIDTH = 320;
const HEIGHT = 120;

function Curve({ data }: { data: Found }) {
  const points = data.curve.slice(0, 20);
  const top = Math.max(...points.map((p) => Math.max(p.rate, p.reference)));
  const x = (n: number) => 26 + ((n - 1) / 19) * (WIDTH - 34);
  const y = (rate: number) => HEIGHT - 16 - (rate / top) * (HEIGHT - 26);
  const line = (of: 'rate' | 'reference') =>
    points.map((p, n) => `${n ? 'L' : 'M'}${x(p.place).toFixed(1)} ${y(p[of]).toFixed(1)}`).join('');
  return (
    <Section
      title={t`Click-through by place`}
      about={t`this site's own, without brand`}
      label={t`Click-through by place`}
    >
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        width="100%"
        role="img"
        aria-label={t`Click-through at place 1 ${percent(points[0]?.rate)}, at 3 ${percent(points[2]?.rate)}, at 10 ${percent(points[9]?.rate)}`}
      >
        <path d={`M26 ${HEIGHT - 16}H${WIDTH - 8}`} stroke="var(--rule2)" />
        <path d={line('reference')} fill="none" stroke="var(--ghost)" strokeWidth="1.2" />
        <path d={line('rate')} fill="none" stroke="var(--ctr)" strokeWidth="1.8" />
        {points.map((p) => (
          <circle key={p.place} cx={x(p.place)} cy={y(p.rate)} r={p.evidence >= 1000 ? 2.6 : 1.4} fill="var(--ctr)">
            <title>{t`Place ${place(p.place)}: ${percent(p.rate, 2)}, from ${count(p.evidence)} impressions`}</title>
          </circle>
        ))}
        {[1, 3, 5, 10, 15, 20].map((n) => (
          <text key={n} x={x(n)} y={HEIGHT - 3} textAnchor="middle" className="axis">
            {n}
          </text>
        ))}
        {[top, top / 2].map((rate) => (
          <text key={rate} x={22} y={y(rate) + 4} textAnchor="end" className="axis">
            {percent(rate, 0)}
          </text>
        ))}
      </svg>
      <p className="small">
        <Trans>
          Large dots: over 1,000 impressions of evidence in 90 days. Grey: what a site without evidence is given.
        </Trans>
      </p>
      <details className="how">
        <summary className="small">
          <Trans>How is a gain computed?</Trans>
        </summary>
        <p className="small">
          <Trans>
            Impressions × click-through at the target place × the row's own appeal, less its clicks. The appeal is its
            click-through over the curve's, drawn to 1 where little is known and held to 0.5 – 1.5. Target 3 from places
            up to 10.5, else 8; the range is for one place lower and higher.
          </Trans>
        </p>
      </details>
    </Section>
  );
}
