/** The rail in the order of work, and the view beside it. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { lazy, Suspense, useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import Dialog from '@mui/material/Dialog';
import { useColorScheme } from '@mui/material/styles';
import { NavLink, useLocation, useNavigate, useSearchParams } from 'react-router';
import type { Me } from '../mind/api';
import { useLeaving, useSpeaking } from '../mind/doing';
import { carried, readFrame } from '../mind/frame';
import { LANGUAGES, spoken } from '../mind/language';
import { keysOn, turnKeys, useKeys } from '../mind/keys';
import { useAgency } from '../mind/asked';
import { useReadings } from '../mind/catalogue';
import { VIEWS, addressOf, viewsOf, viewsOfReadings } from '../mind/places';
import { ExportDialog } from './ExportDialog';
import { RowWork } from './RowWork';
import { Lamp } from './small';
import { TakeDialog } from './TakeDialog';

const Jump = lazy(() => import('./Jump'));
const KEYED = VIEWS.filter((view) => view.key);
const LAST = 'noctilum-last-site';

/** The site of the address; the last one looked at where the view has none. */
function useSite(): string | undefined {
  const { pathname } = useLocation();
  const found = /^\/sites\/([^/]+)/.exec(pathname)?.[1];
  if (found) localStorage.setItem(LAST, found);
  return found ?? localStorage.getItem(LAST) ?? undefined;
}

/** A view begins at its top; what changes within it leaves the place alone. */
function useTopOfEachView(): void {
  const { pathname } = useLocation();
  const seen = useRef(pathname);
  useEffect(() => {
    if (seen.current !== pathname) window.scrollTo(0, 0);
    seen.current = pathname;
  }, [pathname]);
}

/** Which view of a site is open; none elsewhere. */
function useView(): string | undefined {
  return /^\/sites\/[^/]+\/([^/]+)/.exec(useLocation().pathname)?.[1];
}

export function Frame({ me, children }: { me: Me; children: ReactNode }) {
  const site = useSite();
  const [search] = useSearchParams();
  const navigate = useNavigate();
  const [help, setHelp] = useState(false);
  const [taking, setTaking] = useState(false);
  const [jumping, setJumping] = useState(false);
  const [exporting, setExporting] = useState<string>();
  const view = useView();
  const others = viewsOfReadings(useReadings());
  const { pathname } = useLocation();
  const [unfoldedAt, unfold] = useState<string>();
  const unfolded = unfoldedAt === pathname;
  useTopOfEachView();
  const along = carried(search);
  useKeys(
    useMemo(
      () => ({
        ...Object.fromEntries(
          KEYED.map((each) => [`g ${each.key}`, () => void navigate(addressOf(each, site, carried(addressed())))]),
        ),
        'g g': () => setJumping(true),
        e: () => setTaking(true),
        '?': () => setHelp(true),
      }),
      [navigate, site],
    ),
  );
  return (
    <div className="app">
      <header className="rail">
        <NavLink className="mark" to="/">
          {me.role === 'reader' ? (
            <OfAgency />
          ) : (
            <>
              <Lamp />
              Noctilum
            </>
          )}
        </NavLink>
        <button type="button" className="plain goto" onClick={() => setJumping(true)}>
          <Trans>Go to…</Trans>
        </button>
        <button
          type="button"
          className="plain fold"
          aria-expanded={unfolded}
          aria-controls="work"
          onClick={() => unfold(unfolded ? undefined : pathname)}
        >
          <Trans>Menu</Trans>
        </button>
        <div className="work" id="work" data-open={unfolded}>
          <nav className="groups" aria-label={t`Work`}>
            {GROUPS.map((group) => {
              const items = [...viewsOf(me.role), ...(me.role === 'reader' ? [] : others)].filter(
                (each) => each.group === group && (site || !each.ofSite),
              );
              return (
                items.length > 0 && (
                  <Group
                    key={group}
                    name={GROUP_NAMES[group]}
                    items={items.map((each) => [each.name, addressOf(each, site, along)])}
                  />
                )
              );
            })}
          </nav>
          <Foot me={me} showKeys={() => setHelp(true)} take={() => setTaking(true)} />
        </div>
      </header>
      <div className="main">{children}</div>
      {view && site && me.role !== 'reader' && (
        <RowWork key={pathname} site={site.replaceAll('~', '/')} email={me.email} />
      )}
      {jumping && (
        <Suspense fallback={null}>
          <Jump close={() => setJumping(false)} site={site} view={view} search={withoutFilter(search)} />
        </Suspense>
      )}
      {taking && (
        <TakeDialog
          close={() => setTaking(false)}
          whole={
            view && me.role !== 'reader'
              ? () => {
                  setTaking(false);
                  setExporting(view);
                }
              : undefined
          }
        />
      )}
      {exporting && site && (
        <ExportDialog
          open
          close={() => setExporting(undefined)}
          site={site}
          frame={readFrame(search)}
          view={exporting}
        />
      )}
      <KeyHelp open={help} close={() => setHelp(false)} />
    </div>
  );
}

/** A reader is the agency's guest: its name stands where the program's stands for those who work with it. */
function OfAgency() {
  const ours = useAgency();
  const name = ours.data?.name ?? '';
  useEffect(() => {
    if (name) document.title = name;
  }, [name]);
  return <>{name}</>;
}

/** What the address says at this moment: a key may be pressed before a view just asked for is drawn. */
const addressed = () => new URLSearchParams(window.location.search);

/** The window and its comparison go along to another client; what narrows rows is of this one. */
function withoutFilter(search: URLSearchParams): string {
  return carried(search, {
    filter: undefined,
    country: undefined,
    device: undefined,
    kind: undefined,
    engine: undefined,
  });
}

function Group({ name, items }: { name: string; items: ReadonlyArray<readonly [string, string]> }) {
  return (
    <div className="grp">
      <h3>{name}</h3>
      <ul>
        {items.map(([label, to]) => (
          <li key={label}>
            <NavLink to={to} end>
              {label}
            </NavLink>
          </li>
        ))}
      </ul>
    </div>
  );
}

function Foot({ me, showKeys, take }: { me: Me; showKeys: () => void; take: () => void }) {
  const { mode, systemMode, setMode } = useColorScheme();
  const leave = useLeaving();
  const turn = useSpeaking();
  const dark = (mode === 'system' ? systemMode : mode) === 'dark';
  return (
    <div className="foot">
      <span>{me.name}</span>
      <button type="button" onClick={() => setMode(dark ? 'light' : 'dark')}>
        {dark ? t`Light theme` : t`Dark theme`}
      </button>
      <button type="button" onClick={take}>
        <Trans>Copy or save</Trans>
      </button>
      <button type="button" onClick={showKeys}>
        <Trans>Keys</Trans>
      </button>
      <label className="spoken">
        <span className="vh">
          <Trans>Language</Trans>
        </span>
        <select value={spoken()} onChange={(e) => void turn(e.target.value)}>
          {LANGUAGES.map(([code, name]) => (
            <option key={code} value={code} lang={code}>
              {name}
            </option>
          ))}
        </select>
      </label>
      <button type="button" disabled={leave.isPending} onClick={() => leave.mutate()}>
        {leave.isError ? t`Not signed out; try again` : t`Sign out`}
      </button>
    </div>
  );
}

const GROUPS = ['Portfolio', 'Collect', 'Read', 'Ranks', 'Explain', 'Act', 'Report'] as const;
const GROUP_NAMES: Record<(typeof GROUPS)[number], string> = {
  Portfolio: t`Portfolio`,
  Collect: t`Collect`,
  Read: t`Read`,
  Ranks: t`Ranks`,
  Explain: t`Explain`,
  Act: t`Act`,
  Report: t`Report`,
};

const KEYS: ReadonlyArray<readonly [string, string]> = [
  ['g g', t`go to a client or a view by its name`],
  ...KEYED.map((view) => [`g ${view.key}`, view.name.toLowerCase()] as const),
  ['[  ]', t`window back and on`],
  ['c', t`next comparison`],
  ['e', t`copy or save a table or chart`],
  ['/', t`look for text in a table`],
  ['j  k', t`next and previous row of a list`],
  ['x  w', t`mark rows, put what is marked or in focus on the worklist`],
  ['t', t`track queries that are marked or in focus as keywords`],
  ['l', t`put a fading row on the list to look at, or take it off`],
  ['← →', t`along a chart by day, with Shift by week`],
  ['?', t`this list`],
];

function KeyHelp({ open, close }: { open: boolean; close: () => void }) {
  const [on, setOn] = useState(keysOn);
  return (
    <Dialog open={open} onClose={close} aria-labelledby="keys-title">
      <div style={{ padding: '14px 20px 18px' }}>
        <h2 id="keys-title">
          <Trans>Keys</Trans>
        </h2>
        <dl className="facts" style={{ margin: '8px 0' }}>
          {KEYS.map(([key, does]) => (
            <div key={key} style={{ display: 'contents' }}>
              <dt>
                <kbd>{key}</kbd>
              </dt>
              <dd style={{ fontWeight: 400 }}>{does}</dd>
            </div>
          ))}
        </dl>
        <button
          type="button"
          className="plain"
          onClick={() => {
            turnKeys(!on);
            setOn(!on);
          }}
        >
          {on ? t`Turn single keys off` : t`Turn single keys on`}
        </button>{' '}
        <button type="button" className="plain" onClick={close}>
          <Trans>Close</Trans>
        </button>
      </div>
    </Dialog>
  );
}
