/** Putting a report together: blocks in order, the page as it will print, and one block's options at the side. */
import { plural, t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useEffect, useRef, useState } from 'react';
import Button from '@mui/material/Button';
import { useQuery } from '@tanstack/react-query';
import { Link, useParams } from 'react-router';
import type { BlockAbout, BlockLook, ReportOut } from '../mind/api';
import {
  blockKinds,
  moved,
  NEW,
  optionOf,
  same,
  useDraft,
  useKeepingBody,
  useKeepingTemplate,
  type Block,
  type Body,
} from '../mind/editing';
import { useKeys } from '../mind/keys';
import { reports, templates } from '../mind/reports';
import { count } from '../mind/words';
import { SiteBar } from '../skin/WindowBar';
import { Answer, ErrorNote, Section } from '../skin/states';

const UNTABLED = new Set(['text', 'page-break', 'headline', 'storyline', 'drivers', 'dated-notes']);

export default function Editor() {
  const { site = '', number = '' } = useParams();
  const made = useQuery(reports(site));
  const report = made.data?.find((each) => String(each.id) === number);
  return (
    <>
      <SiteBar />
      <main className="page">
        <Answer of={made} height={500}>
          {() =>
            report ? (
              <Editing key={report.id} site={site} report={report} />
            ) : (
              <h1>{t`There is no report ${number} of this site.`}</h1>
            )
          }
        </Answer>
      </main>
    </>
  );
}

function Editing({ site, report }: { site: string; report: ReportOut }) {
  const [body, setBody] = useState<Body>(report.body);
  const [at, choose] = useState(0);
  const kinds = useQuery(blockKinds());
  const known = useQuery(templates);
  const template = known.data?.find((each) => each.name === report.template);
  const { drawn, pages } = useDraft(site, body, report.language);
  const keeping = useKeepingBody();
  const shaping = useKeepingTemplate();
  const changed = !same(body, report.body);
  const blocks = body.blocks;
  const block = blocks[at];
  const setBlocks = (next: Block[]) => setBody((now) => ({ ...now, blocks: next }));
  const setBlock = (change: Partial<Block>) =>
    setBlocks(blocks.map((each, n) => (n === at ? { ...each, ...change } : each)));
  const move = (from: number, to: number) => {
    if (to < 0 || to >= blocks.length) return;
    setBlocks(moved(blocks, from, to));
    choose(to);
  };
  const add = (kind: string) => {
    setBlocks([...blocks.slice(0, at + 1), { ...NEW, kind }, ...blocks.slice(at + 1)]);
    choose(Math.min(at + 1, blocks.length));
  };
  const drop = () => {
    if (blocks.length < 2) return;
    setBlocks(blocks.filter((_, n) => n !== at));
    choose(Math.max(0, Math.min(at, blocks.length - 2)));
  };
  useEffect(() => {
    const ask = (event: BeforeUnloadEvent) => event.preventDefault();
    if (changed) window.addEventListener('beforeunload', ask);
    return () => window.removeEventListener('beforeunload', ask);
  }, [changed]);
  const adding = useRef<HTMLSelectElement>(null);
  useKeys({
    j: () => choose(Math.min(at + 1, blocks.length - 1)),
    k: () => choose(Math.max(at - 1, 0)),
    a: () => adding.current?.focus(),
  });
  const refused = keeping.error ?? shaping.error;
  return (
    <>
      <div className="head">
        <h1>{report.name}</h1>
        <span className="small">
          <Trans>
            of {report.template}, version {report.version}
          </Trans>
          {pages?.pages ? ` · ${plural(pages.pages, { one: '# page', other: '# pages' })}, ${body.paper}` : ''}
        </span>
        <span className="r acts">
          <Link to={`/sites/${site.replaceAll('/', '~')}/reports`}>
            <Trans>Back</Trans>
          </Link>
          {report.changed && (
            <button
              type="button"
              className="plain"
              onClick={() => keeping.mutate({ report, body: null }, { onSuccess: (kept) => setBody(kept.body) })}
            >
              <Trans>As the template has it</Trans>
            </button>
          )}
          {template && (
            <button
              type="button"
              className="plain"
              disabled={shaping.isPending || same(body, template.body)}
              onClick={() => shaping.mutate({ name: template.name, body, kept: template })}
            >
              <Trans>Make it the template’s next version</Trans>
            </button>
          )}
          <Button
            variant="contained"
            disabled={!changed || keeping.isPending}
            onClick={() => keeping.mutate({ report, body })}
          >
            <Trans>Keep for this client</Trans>
          </Button>
        </span>
      </div>
      {refused && <ErrorNote error={refused} />}
      {shaping.isSuccess && (
        <p className="small" role="status">
          <Trans>Kept as version {shaping.data.version}; reports made from older versions stay as they are.</Trans>
        </p>
      )}
      <div className="editor">
        <Section title={t`Blocks`} about={`${count(blocks.length)}`} label={t`Blocks`}>
          <List
            blocks={blocks}
            looks={drawn.data?.look.blocks ?? []}
            pageOf={pages?.page_of ?? []}
            kinds={kinds.data ?? []}
            usual={template?.body.blocks ?? []}
            at={at}
            choose={choose}
            move={move}
            drop={drop}
          />
          <label className="small">
            <Trans>add</Trans>{' '}
            <select
              ref={adding}
              className="inline"
              value=""
              aria-label={t`Add a block`}
              onChange={(e) => e.target.value && add(e.target.value)}
            >
              <option value="">
                <Trans>a block …</Trans>
              </option>
              {(kinds.data ?? []).map((each) => (
                <option key={each.kind} value={each.kind}>
                  {each.title}
                </option>
              ))}
            </select>
          </label>
          <p className="small">
            <Trans>
              <kbd>j</kbd> <kbd>k</kbd> choose · <kbd>Alt ↑ ↓</kbd> move · <kbd>Del</kbd> take out · <kbd>a</kbd> add
            </Trans>
          </p>
        </Section>
        <Section
          title={t`As it will print`}
          about={drawn.isFetching ? t`drawing …` : t`with today’s figures`}
          label={t`As it will print`}
        >
          {drawn.isError && <ErrorNote error={drawn.error} again={() => void drawn.refetch()} />}
          {drawn.data && (
            <div className="printed">
              <iframe title={t`The report as it will print`} sandbox="" srcDoc={drawn.data.html} className="sheet" />
            </div>
          )}
        </Section>
        <div className="stack">
          {block && <Options key={`${at}${block.kind}`} block={block} kinds={kinds.data ?? []} change={setBlock} />}
          <Whole body={body} change={(change) => setBody((now) => ({ ...now, ...change }))} />
        </div>
      </div>
    </>
  );
}

function List({
  blocks,
  looks,
  pageOf,
  kinds,
  usual,
  at,
  choose,
  move,
  drop,
}: {
  blocks: readonly Block[];
  looks: readonly BlockLook[];
  pageOf: ReadonlyArray<number | null>;
  kinds: readonly BlockAbout[];
  usual: readonly Block[];
  at: number;
  choose: (n: number) => void;
  move: (from: number, to: number) => void;
  drop: () => void;
}) {
  const dragged = useRef<number | null>(null);
  const list = useRef<HTMLOListElement>(null);
  const follow = (n: number) => setTimeout(() => list.current?.querySelectorAll('button')[n]?.focus());
  return (
    <ol className="blocks" ref={list} aria-label={t`Blocks in their order`}>
      {blocks.map((each, n) => {
        const look = looks[n]?.kind === each.kind ? looks[n] : undefined;
        const begins = pageOf[n] ?? 0;
        const turns = begins > Math.max(0, ...pageOf.slice(0, n).map((page) => page ?? 0));
        const differs = usual.length > 0 && !usual.some((other) => same(other, each));
        const name = each.title || look?.title || kinds.find((kind) => kind.kind === each.kind)?.title || each.kind;
        return (
          <li key={n} className={n === at ? 'open' : undefined}>
            {turns && (
              <div className="turn small">
                <Trans>page {begins}</Trans>
              </div>
            )}
            <button
              type="button"
              className="plain"
              draggable
              onDragStart={() => (dragged.current = n)}
              onDragOver={(e) => e.preventDefault()}
              onDrop={(e) => {
                e.preventDefault();
                if (dragged.current !== null) move(dragged.current, n);
                dragged.current = null;
              }}
              aria-pressed={n === at}
              aria-label={look && !look.comes_in ? t`${n + 1}, ${name}, stays out` : `${n + 1}, ${name}`}
              onClick={() => choose(n)}
              onKeyDown={(e) => {
                const step = e.key === 'ArrowUp' ? -1 : e.key === 'ArrowDown' ? 1 : 0;
                if (e.altKey && step) {
                  e.preventDefault();
                  move(n, n + step);
                  follow(Math.max(0, Math.min(n + step, blocks.length - 1)));
                } else if (e.key === 'Delete') {
                  e.preventDefault();
                  drop();
                  follow(Math.max(0, n - 1));
                }
              }}
            >
              <span aria-hidden="true" className={look && !look.comes_in ? 'mut' : undefined}>
                {look && !look.comes_in ? '◌' : each.stay ? '▣' : '■'}
              </span>{' '}
              {name}
            </button>
            {differs && (
              <span className="small mut">
                {' '}
                <Trans>differs</Trans>
              </span>
            )}
            {look?.why && <div className="small mut">{look.why}</div>}
          </li>
        );
      })}
    </ol>
  );
}

function Options({
  block,
  kinds,
  change,
}: {
  block: Block;
  kinds: readonly BlockAbout[];
  change: (change: Partial<Block>) => void;
}) {
  const about = kinds.find((each) => each.kind === block.kind);
  const options = block.options ?? {};
  const columns = block.columns ?? [];
  const set = (name: string, text: string) => {
    const { [name]: _gone, ...rest } = options;
    const value = optionOf(text);
    change({ options: value === undefined ? rest : { ...rest, [name]: value } });
  };
  const usual = (about?.columns ?? []).filter((each) => each.shown).map((each) => each.name);
  const shown = columns.length ? columns : usual;
  if (block.kind === 'page-break')
    return (
      <Section title={t`Page break`} label={t`The block`}>
        {null}
      </Section>
    );
  return (
    <Section title={about?.title ?? block.kind} about={block.kind} label={t`The block`}>
      <div className="fields">
        <label>
          <Trans>Title</Trans>
          <input value={block.title} maxLength={120} onChange={(e) => change({ title: e.target.value })} />
        </label>
        <label>
          <Trans>Commentary, Markdown</Trans>
          <textarea
            rows={4}
            value={block.commentary}
            maxLength={6000}
            onChange={(e) => change({ commentary: e.target.value })}
          />
        </label>
        {block.kind !== 'text' && (
          <>
            <label className="check">
              <input type="checkbox" checked={block.stay} onChange={(e) => change({ stay: e.target.checked })} />{' '}
              <Trans>stays with the reason where there is nothing to show</Trans>
            </label>
            <label>
              <Trans>Window</Trans>
              <input
                value={block.window}
                placeholder={t`the report’s`}
                onChange={(e) => change({ window: e.target.value })}
              />
            </label>
            <label>
              <Trans>Against</Trans>
              <input
                value={block.against}
                placeholder={t`the report’s`}
                onChange={(e) => change({ against: e.target.value })}
              />
            </label>
            <label>
              <Trans>Filter</Trans>
              <input
                value={block.filter}
                placeholder={t`the report’s`}
                onChange={(e) => change({ filter: e.target.value })}
              />
            </label>
          </>
        )}
        {!UNTABLED.has(block.kind) && (
          <label>
            <Trans>Rows at most</Trans>
            <input
              type="number"
              min={1}
              max={200}
              value={block.limit ?? ''}
              onChange={(e) => change({ limit: e.target.value ? Number(e.target.value) : null })}
            />
          </label>
        )}
        {(about?.columns.length ?? 0) > 0 && <Order block={block} columns={about?.columns ?? []} change={change} />}
        {(about?.options ?? []).map((each) => (
          <label key={each.name} title={each.about}>
            {each.name}
            {each.choices.length ? (
              <select value={String(options[each.name] ?? '')} onChange={(e) => set(each.name, e.target.value)}>
                <option value="">{each.default === null ? '–' : t`as usual (${String(each.default)})`}</option>
                {each.choices.map((choice) => (
                  <option key={choice}>{choice}</option>
                ))}
              </select>
            ) : (
              <input
                defaultValue={String(options[each.name] ?? '')}
                placeholder={each.default === null ? '' : String(each.default)}
                onChange={(e) => set(each.name, e.target.value)}
              />
            )}
          </label>
        ))}
        {(about?.columns.length ?? 0) > 0 && (
          <fieldset>
            <legend>
              <Trans>Columns</Trans>
            </legend>
            {about?.columns.map((each) => (
              <label key={each.name} className="check" title={each.how}>
                <input
                  type="checkbox"
                  checked={shown.includes(each.name)}
                  onChange={(e) =>
                    change({
                      columns: e.target.checked ? [...shown, each.name] : shown.filter((name) => name !== each.name),
                    })
                  }
                />{' '}
                {each.title} {each.group}
              </label>
            ))}
          </fieldset>
        )}
      </div>
    </Section>
  );
}

/** Which column the rows of a block stand by, and whether from the other end. */
function Order({
  block,
  columns,
  change,
}: {
  block: Block;
  columns: BlockAbout['columns'];
  change: (change: Partial<Block>) => void;
}) {
  const order = block.order ?? '';
  const [name, turned] = [order.replace(/^-/, ''), order.startsWith('-')];
  return (
    <>
      <label>
        <Trans>Rows ordered by</Trans>
        <select
          value={name}
          onChange={(e) => change({ order: e.target.value && `${turned ? '-' : ''}${e.target.value}` })}
        >
          <option value="">{t`as the reading gives them`}</option>
          {columns.map((each) => (
            <option key={each.name} value={each.name}>
              {each.title} {each.group}
            </option>
          ))}
        </select>
      </label>
      {name && (
        <label className="check">
          <input
            type="checkbox"
            checked={turned}
            onChange={(e) => change({ order: `${e.target.checked ? '-' : ''}${name}` })}
          />{' '}
          <Trans>turned round</Trans>
        </label>
      )}
    </>
  );
}

function Whole({ body, change }: { body: Body; change: (change: Partial<Body>) => void }) {
  return (
    <Section title={t`The whole report`} label={t`The whole report`}>
      <div className="fields">
        <label>
          <Trans>Window</Trans>
          <input value={body.window} maxLength={40} onChange={(e) => change({ window: e.target.value })} />
        </label>
        <label>
          <Trans>Against</Trans>
          <input value={body.against} maxLength={40} onChange={(e) => change({ against: e.target.value })} />
        </label>
        <label>
          <Trans>Filter</Trans>
          <input value={body.filter} onChange={(e) => change({ filter: e.target.value })} />
        </label>
        <label>
          <Trans>Paper</Trans>
          <select value={body.paper} onChange={(e) => change({ paper: e.target.value as Body['paper'] })}>
            <option value="A4">A4</option>
            <option value="Letter">
              <Trans>Letter</Trans>
            </option>
          </select>
        </label>
        <label className="check">
          <input type="checkbox" checked={body.season} onChange={(e) => change({ season: e.target.checked })} />{' '}
          <Trans>net of what the year does</Trans>
        </label>
        <label className="check">
          <input type="checkbox" checked={body.cover} onChange={(e) => change({ cover: e.target.checked })} />{' '}
          <Trans>a cover page</Trans>
        </label>
      </div>
    </Section>
  );
}
