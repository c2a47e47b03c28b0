/** Tracked keywords: how they stand together, each of them, and more to be tracked. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { Suspense, lazy, useEffect, useMemo, useState } from 'react';
import Button from '@mui/material/Button';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Link } from 'react-router';
import { named } from '../mind/named';
import type { ColumnRole, KeywordOut, LookupCost, RankSummary } from '../mind/api';
import { useNotes } from '../mind/asked';
import { useChangingKeywords, useChecking, useTaking, useTakingFile, type KeywordsChange } from '../mind/doing';
import { carried, useFrame } from '../mind/frame';
import { columnsOf } from '../mind/files';
import { useFindingPlaces } from '../mind/finding';
import { bearing } from '../mind/marks';
import { ended, job } from '../mind/questions';
import { keywords, lookupCost, rankSummary, suggestions, tracked } from '../mind/ranks';
import { DASH, count, place, signedBy, when, fixed } from '../mind/words';
import { Chosen } from '../skin/Chosen';
import { CheckIn, TextIn, useFields } from '../skin/form';
import { KeywordFile } from '../skin/KeywordFile';
import { PlaceFind } from '../skin/PlaceFind';
import { RankChip, Weight } from '../skin/RankCell';
import { ReadingTable } from '../skin/ReadingTable';
import { Said } from '../skin/Said';
import { WindowBar } from '../skin/WindowBar';
import { Cautions, Spark, Triangle } from '../skin/small';
import { Answer, Empty, ErrorNote, Section } from '../skin/states';

const VisibilityWeeks = lazy(() => import('../skin/WeeksChart').then((each) => ({ default: each.VisibilityWeeks })));

export default function Keywords() {
  const { site, search } = useFrame();
  const known = useQuery(keywords(site));
  const by = groupOf(search.get('group'));
  const summary = useQuery({
    ...rankSummary(site, { ...tracked(search), by }),
    enabled: (known.data?.length ?? 0) > 0,
  });
  const cost = useQuery(lookupCost(site));
  return (
    <>
      <WindowBar read={summary.data} usual="P28D" ranks />
      <main className="page">
        <div className="head">
          <h1>
            <Trans>Keywords</Trans>
          </h1>
          {cost.data && <span className="small">{costText(cost.data)}</span>}
        </div>
        <div className="cols side">
          <div className="stack">
            {(known.data?.length ?? 0) > 0 && (
              <Answer of={summary} height={160}>
                {(data) => <Summary data={data} />}
              </Answer>
            )}
            <Answer of={known} height={300}>
              {(all) =>
                all.length ? (
                  <List all={all.filter((each) => isOn(each, search.get('track')))} cost={cost.data} />
                ) : (
                  <Empty
                    why={t`No keyword is tracked yet. Type or paste some at the right, or take those suggested.`}
                  />
                )
              }
            </Answer>
          </div>
          <div className="stack">
            <Add site={site} />
            <Suggested site={site} />
          </div>
        </div>
      </main>
    </>
  );
}

const GROUPS = {
  tag: t`by tag`,
  device: t`by device`,
  place: t`by place`,
  engine: t`by engine`,
  track: t`by language and country`,
  page: t`by page`,
} as const;
type Group = keyof typeof GROUPS;
const groupOf = (text: string | null): Group => (text !== null && text in GROUPS ? (text as Group) : 'tag');

const isOn = (each: KeywordOut, track: string | null) => !track || `${each.language}-${each.country}` === track;

function costText(cost: LookupCost): string {
  const need = t`${count(cost.keywords)} keywords need up to ${count(cost.a_month)} lookups a month`;
  return cost.limit === null
    ? t`${need}; ${count(cost.used)} used so far, no limit is set`
    : t`${need}; ${count(cost.left)} of ${count(cost.limit)} are left this month`;
}

function Summary({ data }: { data: RankSummary }) {
  const { now, before, moved } = data;
  const { site, change } = useFrame();
  const notes = useNotes(site);
  return (
    <Section
      title={t`How they stand`}
      about={t`${count(now.checked)} looked up in the last seven days of the window`}
      label={t`How they stand`}
    >
      <Said sentences={data.sentences} />
      <dl className="standing">
        <Fact
          name={t`visibility`}
          now={now.visibility}
          before={before?.visibility}
          digits={1}
          sure={data.verdict === 'rose' || data.verdict === 'fell'}
        ></Fact>
        <Fact name={t`in top 3`} now={now.top3} before={before?.top3} />
        <Fact name={t`in top 10`} now={now.top10} before={before?.top10} />
        <Fact name={t`in top 20`} now={now.top20} before={before?.top20} />
        <Fact name={t`average rank`} now={now.average} before={before?.average} digits={1} lower />
        <Fact name={t`estimated value`} now={now.value} before={before?.value} digits={0}>
          <Spark
            values={data.points.map((point) => point.value ?? null)}
            width={90}
            height={22}
            label={t`Estimated value by week`}
          />
        </Fact>
        {moved && (
          <div>
            <dt className="small">
              <Trans>moved</Trans>
            </dt>
            <dd>
              <span className="better">
                <Triangle up />
                {moved.up}
              </span>{' '}
              <span className="worse">
                <Triangle up={false} />
                {moved.down}
              </span>{' '}
              <span className="small">
                <Trans>
                  {moved.entered} new, {moved.lost} lost{moved.unknown ? t`, ${moved.unknown} unknown` : ''}
                </Trans>
              </span>
            </dd>
          </div>
        )}
      </dl>
      <Suspense fallback={<div style={{ height: 130 }} />}>
        <VisibilityWeeks points={data.points} notes={bearing(notes.data)} />
      </Suspense>
      <Chosen
        label={t`Keywords by`}
        value={groupOf(data.by)}
        names={GROUPS}
        choose={(next) => change({ group: next === 'tag' ? undefined : next })}
      />
      <ReadingTable reading="rank-summary" title={t`Keywords by ${named(data.by)}`} answer={data} />
      {data.movers.length > 0 && <Movers data={data} />}
      <Cautions items={data.cautions} />
    </Section>
  );
}

function Fact({
  name,
  now,
  before,
  digits = 0,
  lower = false,
  sure = true,
  children,
}: {
  name: string;
  now: number | null;
  before?: number | null;
  digits?: number;
  lower?: boolean;
  sure?: boolean;
  children?: React.ReactNode;
}) {
  const change = now !== null && before !== null && before !== undefined ? now - before : undefined;
  const level = change === undefined || Math.abs(change) < 0.5 * 10 ** -digits;
  const good = lower ? (change ?? 0) < 0 : (change ?? 0) > 0;
  return (
    <div>
      <dt className="small">{name}</dt>
      <dd>
        <b>{now === null ? DASH : fixed(now, digits)}</b>{' '}
        {!level && (
          <span className={`chg ${sure ? (good ? 'better' : 'worse') : 'same'}`}>
            {sure && <Triangle up={good} />}
            {signedBy(change ?? 0, digits)}
          </span>
        )}
        {children}
      </dd>
    </div>
  );
}

function Movers({ data }: { data: RankSummary }) {
  const { site, search } = useFrame();
  return (
    <ul className="movers" aria-label={t`What moved most`}>
      {data.movers.slice(0, 8).map((each) => (
        <li key={each.number}>
          <Link to={`/sites/${site}/keywords/${each.number}${carried(search)}`}>{each.term}</Link>{' '}
          <span className="small">{[each.place, named(each.device)].filter(Boolean).join(' · ')}</span>{' '}
          <RankChip rank={each.before} /> → <RankChip rank={each.now} />
        </li>
      ))}
    </ul>
  );
}

function List({ all, cost }: { all: readonly KeywordOut[]; cost: LookupCost | undefined }) {
  const { site, search } = useFrame();
  const [chosen, choose] = useState<ReadonlySet<number>>(new Set());
  const turn = (number: number) => choose((now) => flipped(now, number));
  return (
    <Section title={t`Each of them`} about={t`${count(all.length)} tracked`} label={t`Tracked keywords`}>
      <Bulk all={all} chosen={chosen} choose={choose} cost={cost} />
      <div className="wrap">
        <table className="t">
          <thead>
            <tr>
              <th scope="col">
                <input
                  type="checkbox"
                  aria-label={t`All keywords`}
                  checked={chosen.size === all.length}
                  onChange={(e) => choose(new Set(e.target.checked ? all.map((each) => each.id) : []))}
                />
              </th>
              <th scope="col">
                <Trans>Keyword</Trans>
              </th>
              <th scope="col">
                <Trans>From</Trans>
              </th>
              <th scope="col">
                <Trans>Device</Trans>
              </th>
              <th scope="col">
                <Trans>Weight</Trans>
              </th>
              <th scope="col">
                <Trans>Tags</Trans>
              </th>
              <th scope="col" className="num">
                <Trans>Searches a month</Trans>
              </th>
              <th scope="col">
                <Trans>Looked up</Trans>
              </th>
            </tr>
          </thead>
          <tbody>
            {all.map((each) => (
              <tr key={each.id}>
                <td>
                  <input
                    type="checkbox"
                    aria-label={`${each.term}, ${each.place || each.country}, ${named(each.device)}`}
                    checked={chosen.has(each.id)}
                    onChange={() => turn(each.id)}
                  />
                </td>
                <th scope="row">
                  <Link to={`/sites/${site}/keywords/${each.id}${carried(search)}`}>
                    {each.pinned && <span className="lampdot" title={t`followed closely`} />}
                    {each.term}
                  </Link>
                </th>
                <td>{[each.place, `${each.language}-${each.country}`].filter(Boolean).join(', ')}</td>
                <td>{named(each.device)}</td>
                <td>
                  <Weight of={each.weight} />
                </td>
                <td className="small">{each.tags.join(', ')}</td>
                <td className="num">{count(each.volume)}</td>
                <td className="small">
                  {named(each.interval)}, {each.checked_at ? when(each.checked_at) : t`not yet`}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Section>
  );
}

function flipped(now: ReadonlySet<number>, number: number): ReadonlySet<number> {
  const next = new Set(now);
  if (!next.delete(number)) next.add(number);
  return next;
}

/** What is done to all that are chosen; looking up says what it costs first. */
function Bulk({
  all,
  chosen,
  choose,
  cost,
}: {
  all: readonly KeywordOut[];
  chosen: ReadonlySet<number>;
  choose: (next: ReadonlySet<number>) => void;
  cost: LookupCost | undefined;
}) {
  const { site } = useFrame();
  const client = useQueryClient();
  const change = useChangingKeywords(site, () => undefined);
  const check = useChecking(site);
  const running = useQuery(job(check.data?.id));
  const [asking, ask] = useState(false);
  const numbers = [...chosen];
  const put = (more: Omit<KeywordsChange, 'numbers'>) => change.mutate({ numbers, ...more });
  const over = ended(running.data);
  useEffect(() => {
    if (over) void client.invalidateQueries({ queryKey: ['keywords', site] });
  }, [client, over, site]);
  const many = numbers.length || all.length;
  const tooMany = cost?.left !== null && cost?.left !== undefined && many > cost.left;
  return (
    <div className="narrow small" role="group" aria-label={t`What to do with those chosen`}>
      <span>{numbers.length ? t`${count(numbers.length)} chosen` : t`none chosen`}</span>
      <label>
        <Trans>weight</Trans>{' '}
        <select
          className="inline"
          disabled={!numbers.length}
          value=""
          onChange={(e) => put({ weight: Number(e.target.value) })}
        >
          <option value="">…</option>
          {[1, 2, 3, 4, 5].map((weight) => (
            <option key={weight}>{weight}</option>
          ))}
        </select>
      </label>
      <label>
        <Trans>looked up</Trans>{' '}
        <select
          className="inline"
          disabled={!numbers.length}
          value=""
          onChange={(e) => put({ interval: e.target.value })}
        >
          <option value="">…</option>
          {['hourly', 'daily', 'weekly'].map((interval) => (
            <option key={interval} value={interval}>
              {named(interval)}
            </option>
          ))}
        </select>
      </label>
      <button type="button" className="plain" disabled={!numbers.length} onClick={() => put({ pinned: true })}>
        <Trans>Follow closely</Trans>
      </button>
      <button type="button" className="plain" disabled={!numbers.length} onClick={() => put({ pinned: false })}>
        <Trans>Not closely</Trans>
      </button>
      <Tagging disabled={!numbers.length} put={put} />
      <button
        type="button"
        className="plain"
        disabled={!numbers.length}
        onClick={() => {
          put({ drop: true });
          choose(new Set());
        }}
      >
        <Trans>Track no more</Trans>
      </button>
      {asking ? (
        <span>
          {numbers.length ? t`This costs ${count(many)} lookups` : t`Those that are due are looked up`}
          {cost?.left !== null && cost?.left !== undefined ? t`; ${count(cost.left)} are left this month` : ''}.{' '}
          <button
            type="button"
            className="plain"
            disabled={tooMany && numbers.length > 0}
            onClick={() => {
              ask(false);
              check.mutate(numbers.length ? numbers : undefined);
            }}
          >
            <Trans>Look up</Trans>
          </button>{' '}
          <button type="button" className="plain" onClick={() => ask(false)}>
            <Trans>Not now</Trans>
          </button>
        </span>
      ) : (
        <button
          type="button"
          className="plain"
          disabled={check.isPending || (check.data && !over)}
          onClick={() => ask(true)}
        >
          <Trans>Check now</Trans>
        </button>
      )}
      <span role="status">
        {change.data ? t`${count(change.data.changed)} changed. ` : ''}
        {running.data &&
          (over
            ? running.data.state === 'done'
              ? t`The lookups are done.`
              : t`The lookups: ${named(running.data.state)}.`
            : t`Looking up: ${count(running.data.done)} of ${count(running.data.due)}`)}
      </span>
      {change.isError && <ErrorNote error={change.error} />}
      {check.isError && <ErrorNote error={check.error} />}
    </div>
  );
}

function Tagging({ disabled, put }: { disabled: boolean; put: (more: { add_tags: string[] }) => void }) {
  const [text, write] = useState('');
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        if (text.trim()) put({ add_tags: listed(text) });
        write('');
      }}
    >
      <input
        aria-label={t`Tag to give`}
        placeholder={t`tag`}
        value={text}
        disabled={disabled}
        onChange={(e) => write(e.target.value)}
        style={{ width: 90 }}
      />
    </form>
  );
}

const listed = (text: string) =>
  text
    .split(',')
    .map((each) => each.trim())
    .filter(Boolean);

interface Fields {
  terms: string;
  places: string;
  language: string;
  country: string;
  engine: string;
  desktop: boolean;
  mobile: boolean;
  map: boolean;
  tags: string;
  weight: string;
  page: string;
  interval: string;
}

const START: Fields = {
  terms: '',
  places: '',
  language: 'en',
  country: 'GB',
  engine: 'Quillon',
  desktop: true,
  mobile: true,
  map: false,
  tags: '',
  weight: '3',
  page: '',
  interval: 'daily',
};

function following(fields: Fields) {
  const devices = (['desktop', 'mobile', 'map'] as const).filter((device) => fields[device]);
  return {
    language: fields.language,
    country: fields.country.toUpperCase(),
    engine: fields.engine,
    page: fields.page,
    weight: Number(fields.weight),
    tags: listed(fields.tags),
    interval: fields.interval as 'daily',
    devices: devices.length ? [...devices] : ['desktop'],
  };
}

function Add({ site }: { site: string }) {
  const taking = useTaking(site, () => undefined);
  const file = useTakingFile(site);
  const [held, setHeld] = useState<{ text: string; columns: Record<string, ColumnRole>; done: boolean } | null>(null);
  const tryFile = (text: string, columns: Record<string, ColumnRole>) => {
    setHeld({ text, columns, done: false });
    file.mutate({ ...following(form.getValues()), text, columns, dry_run: true });
  };
  const form = useFields<Fields>(START, taking.error);
  const finding = useFindingPlaces();
  const lines = (text: string) =>
    text
      .split('\n')
      .map((each) => each.trim())
      .filter(Boolean);
  const send = (dry_run: boolean) =>
    form.handleSubmit((fields) => {
      const from = lines(fields.places);
      taking.mutate({
        ...following(fields),
        terms: lines(fields.terms),
        ...(from.length ? { places: from } : {}),
        dry_run,
      });
    })();
  const taken = taking.data;
  return (
    <Section title={t`Track more`} about={t`one a line, or a file`} label={t`Track more`}>
      <form
        className="stack"
        onSubmit={(e) => {
          e.preventDefault();
          void send(false);
        }}
      >
        <TextIn
          form={form}
          name="terms"
          label={t`Keywords`}
          multiline
          minRows={4}
          maxRows={12}
          rules={{ required: t`Type or paste at least one.` }}
        />
        <TextIn
          form={form}
          name="places"
          label={t`Places`}
          multiline
          maxRows={6}
          helperText={t`Towns, or latitude, longitude; the whole country without`}
        />
        <PlaceFind
          label={t`Find a place`}
          of={finding}
          choose={(chosen) => {
            const before = lines(form.getValues('places'));
            if (chosen.place) form.setValue('places', [...new Set([...before, chosen.place])].join('\n'));
            form.setValue('country', chosen.country);
          }}
        />
        <div className="pair">
          <TextIn form={form} name="language" label={t`Language`} />
          <TextIn form={form} name="country" label={t`Country`} />
          <TextIn form={form} name="engine" label={t`Engine`} />
        </div>
        <div>
          <CheckIn form={form} name="desktop" label={t`desktop`} />
          <CheckIn form={form} name="mobile" label={t`mobile`} />
          <CheckIn form={form} name="map" label={t`map`} />
        </div>
        <div className="pair">
          <TextIn form={form} name="tags" label={t`Tags`} />
          <TextIn form={form} name="weight" label={t`Weight`} type="number" />
        </div>
        <TextIn form={form} name="page" label={t`Page that ought to be found`} />
        <div style={{ display: 'flex', gap: 8, flexWrap: 'wrap' }}>
          <Button type="button" variant="outlined" disabled={taking.isPending} onClick={() => void send(true)}>
            <Trans>What would it cost?</Trans>
          </Button>
          <Button type="submit" variant="contained" disabled={taking.isPending}>
            <Trans>Track</Trans>
          </Button>
          <label className="small">
            <Trans>from a CSV file</Trans>{' '}
            <input
              type="file"
              accept=".csv,.txt,.tsv,text/csv"
              onChange={(e) => {
                const chosen = e.target.files?.[0];
                if (chosen) void chosen.text().then((text) => tryFile(text, {}));
                e.target.value = '';
              }}
            />
          </label>
        </div>
        <p className="small" role="status">
          {taken &&
            `${taken.added?.length || !taken.adding ? t`${count(taken.adding)} added` : t`${count(taken.adding)} would be added`}${taken.repeats ? t`, ${count(taken.repeats)} tracked already` : ''}. ${costText(taken.cost)}.`}
        </p>
        {taking.isError && <ErrorNote error={taking.error} />}
        {held && (
          <KeywordFile
            names={columnsOf(held.text)}
            read={{ ...(file.data?.columns ?? {}), ...held.columns }}
            taken={file.data}
            done={held.done}
            busy={file.isPending}
            error={file.error}
            choose={(name, role) => tryFile(held.text, { ...held.columns, [name]: role })}
            take={() => {
              const { text, columns } = held;
              file.mutate(
                { ...following(form.getValues()), text, columns },
                { onSuccess: () => setHeld({ text, columns, done: true }) },
              );
            }}
            leave={() => setHeld(null)}
          />
        )}
      </form>
    </Section>
  );
}

function Suggested({ site }: { site: string }) {
  const [open, show] = useState(false);
  const found = useQuery(suggestions(site, open));
  const taking = useTaking(site, () => undefined);
  const rows = useMemo(() => found.data ?? [], [found.data]);
  return (
    <Section
      title={t`Suggested`}
      about={t`queries the site is shown for and does not track`}
      label={t`Suggested keywords`}
    >
      {!open ? (
        <button type="button" className="plain" onClick={() => show(true)}>
          <Trans>Show them</Trans>
        </button>
      ) : (
        <Answer of={found} height={160}>
          {() =>
            rows.length ? (
              <table className="t">
                <thead>
                  <tr>
                    <th scope="col">
                      <Trans>Query</Trans>
                    </th>
                    <th scope="col" className="num">
                      <Trans>clicks</Trans>
                    </th>
                    <th scope="col" className="num">
                      <Trans>position</Trans>
                    </th>
                    <th scope="col">
                      <span className="vh">
                        <Trans>Track</Trans>
                      </span>
                    </th>
                  </tr>
                </thead>
                <tbody>
                  {rows.slice(0, 20).map((each) => (
                    <tr key={each.query}>
                      <th scope="row">{each.query}</th>
                      <td className="num">{count(each.clicks)}</td>
                      <td className="num">{place(each.position)}</td>
                      <td>
                        <button
                          type="button"
                          className="plain"
                          aria-label={t`Track ${each.query}`}
                          disabled={taking.isPending}
                          onClick={() =>
                            taking.mutate({
                              terms: [each.query],
                              country: each.country || 'GB',
                              devices: ['desktop', 'mobile'],
                            })
                          }
                        >
                          <Trans>Track</Trans>
                        </button>
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            ) : (
              <Empty why={t`Every query of any use is tracked already.`} />
            )
          }
        </Answer>
      )}
      {taking.isError && <ErrorNote error={taking.error} />}
    </Section>
  );
}
