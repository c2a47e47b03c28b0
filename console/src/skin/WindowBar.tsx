/** The bar on every site view: which site, which days against which, which segment, how complete. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useMemo, useState } from 'react';
import Menu from '@mui/material/Menu';
import MenuItem from '@mui/material/MenuItem';
import Button from '@mui/material/Button';
import Popover from '@mui/material/Popover';
import TextField from '@mui/material/TextField';
import { useLocation, useNavigate } from 'react-router';
import { named } from '../mind/named';
import type { Caution, State } from '../mind/api';
import { useCalled, type Dataset } from '../mind/datasets';
import { AGAINST, FILTERS, PRESETS, carried, moved, periods, useFrame, wholeMonths, type Filter } from '../mind/frame';
import { useKeys } from '../mind/keys';
import { useSite, useSites, useTracks } from '../mind/asked';
import { beforeName, count, countryName, periodName, shortDay, span, trackName, windowName } from '../mind/words';
import { FilterField } from './FilterField';
import { TextIn, useFields } from './form';
import { Chevron, HeldCells } from './small';
import { WindowRuler } from './WindowRuler';

interface DaysOf {
  first: string;
  last: string;
  days: number;
  held: number;
  provisional: number;
}
export interface Read {
  window: DaysOf;
  against: DaysOf | null;
  complete_through: string;
  first_held: string;
  cautions: readonly Caution[];
}

/** What rows can be narrowed by: parameters by their names, and the fields of a dataset's filter; searches' without. */
export interface Narrowing {
  by: readonly string[];
  of?: Dataset | undefined;
}
const BY_ALL: Narrowing = { by: FILTERS };

/** usual: the window that is read where the address names none. ranks: of tracked keywords, in place of search rows.
narrowing: what rows can be narrowed by; null where they cannot. */
export function WindowBar({
  read,
  states,
  usual = 'P28D',
  ranks = false,
  narrowing = BY_ALL,
}: {
  read: Read | undefined;
  states?: readonly State[];
  usual?: string;
  ranks?: boolean;
  narrowing?: Narrowing | null;
}) {
  return (
    <section className="bar" aria-label={t`What is read`}>
      <SitePick />
      <WindowPick read={read} usual={usual} />
      {ranks ? <TrackPick /> : narrowing && <Segment {...narrowing} />}
      <div>
        <span className="l">
          {ranks ? t`Days looked up` : t`Held days`} {states && <HeldCells states={states} />}
        </span>
        <span className="v">{read ? freshness(read) : '–'}</span>
      </div>
    </section>
  );
}

/** Only which site, where nothing is read over a window. */
export function SiteBar() {
  return (
    <section className="bar" aria-label={t`Which site`}>
      <SitePick />
    </section>
  );
}

function freshness(read: Read): string {
  const missing = read.window.days - read.window.held;
  return t`Complete through ${shortDay(read.complete_through)}${missing > 0 ? t` · ${read.window.held} of ${read.window.days} days held` : ''}`;
}

function SitePick() {
  const { site, search } = useFrame();
  const all = useSites();
  const navigate = useNavigate();
  const { pathname } = useLocation();
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const open = all.data?.find((s) => s.key === site);
  const go = (key: string) => {
    setAnchor(null);
    void navigate(`${pathname.replace(/^\/sites\/[^/]+/, `/sites/${key}`)}${carried(search, { track: undefined })}`);
  };
  return (
    <div className="who">
      <button
        type="button"
        className="pick"
        aria-haspopup="menu"
        aria-expanded={anchor !== null}
        onClick={(e) => setAnchor(e.currentTarget)}
      >
        <span className="l">
          <Trans>Site · {site}</Trans>
        </span>
        <span className="v">
          {open?.client_name ?? site}
          <Chevron />
        </span>
      </button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        {(all.data ?? []).map((s) => (
          <MenuItem key={s.key} selected={s.key === site} onClick={() => go(s.key)}>
            {s.client_name} · {s.host}
          </MenuItem>
        ))}
      </Menu>
    </div>
  );
}

/** Which language and country of a site that is tracked in several; nothing for one that is not. */
function TrackPick() {
  const { site, search, change } = useFrame();
  const tracks = useTracks(site, true);
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const chosen = search.get('track');
  if (tracks.length < 2 && !chosen) return null;
  const pick = (track: string | undefined) => {
    setAnchor(null);
    change({ track, offset: undefined });
  };
  return (
    <div>
      <button
        type="button"
        className="pick"
        aria-haspopup="menu"
        aria-expanded={anchor !== null}
        onClick={(e) => setAnchor(e.currentTarget)}
      >
        <span className="l">
          <Trans>Language and country</Trans>
        </span>
        <span className="v">
          {chosen ? trackName(chosen) : t`all ${tracks.length}`}
          <Chevron />
        </span>
      </button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        <MenuItem selected={!chosen} onClick={() => pick(undefined)}>
          <Trans>all {tracks.length}, side by side</Trans>
        </MenuItem>
        {tracks.map(([track, many]) => (
          <MenuItem key={track} selected={track === chosen} onClick={() => pick(track)}>
            <Trans>
              {trackName(track)} · {count(many)} keywords
            </Trans>
          </MenuItem>
        ))}
      </Menu>
    </div>
  );
}

function WindowPick({ read, usual }: { read: Read | undefined; usual: string }) {
  const { frame, search, change } = useFrame();
  const chosen = search.get('window') ?? usual;
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  useKeys(
    useMemo(
      () => ({
        '[': () => {
          if (read) change({ window: moved(read.window.first, read.window.last, -1) });
        },
        ']': () => {
          if (read) change({ window: moved(read.window.first, read.window.last, 1) });
        },
        c: () => {
          const at = AGAINST.findIndex(([value]) => value === frame.against);
          change({ against: AGAINST[(at + 1) % AGAINST.length]?.[0] });
        },
      }),
      [read, change, frame.against],
    ),
  );
  const preset = PRESETS.find(([value]) => value === chosen)?.[1] ?? windowName(chosen);
  const months = read && wholeMonths(read.window.first, read.window.last);
  const before = months && periodName(chosen) ? beforeName(months, frame.against) : undefined;
  const versus = before ?? AGAINST.find(([value]) => value === frame.against)?.[1] ?? windowName(frame.against);
  return (
    <div>
      <button
        type="button"
        className="pick"
        aria-haspopup="dialog"
        aria-expanded={anchor !== null}
        onClick={(e) => setAnchor(e.currentTarget)}
      >
        <span className="l">
          {preset}
          {frame.against === 'none' ? '' : t` against ${versus}`}
        </span>
        <span className="v">
          {read ? span(read.window.first, read.window.last) : '–'}
          {read?.against && (
            <em>
              <Trans>vs {span(read.against.first, read.against.last)}</Trans>
            </em>
          )}
          <Chevron />
          {read && <WindowRuler read={read} />}
        </span>
      </button>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: 'bottom', horizontal: 'left' }}
      >
        <WindowForm read={read} done={() => setAnchor(null)} />
      </Popover>
    </div>
  );
}

/** One select for every month, quarter and year that is held; a window that is none of them leaves it empty. */
function PeriodPick({
  label,
  value,
  read,
  pick,
}: {
  label: string;
  value: string;
  read: Read | undefined;
  pick: (period: string) => void;
}) {
  const held = read && periods(read.first_held, read.complete_through);
  const groups = held
    ? ([
        [t`Years`, held.years],
        [t`Quarters`, held.quarters],
        [t`Months`, held.months],
      ] as const)
    : [];
  const known = groups.some(([, each]) => each.includes(value));
  return (
    <label className="small">
      {label}{' '}
      <select
        value={known ? value : ''}
        onChange={(e) => {
          if (e.target.value) pick(e.target.value);
        }}
      >
        <option value="">–</option>
        {groups.map(([name, each]) => (
          <optgroup key={name} label={name}>
            {each.map((period) => (
              <option key={period} value={period}>
                {periodName(period) ?? period}
              </option>
            ))}
          </optgroup>
        ))}
      </select>
    </label>
  );
}

function WindowForm({ read, done }: { read: Read | undefined; done: () => void }) {
  const { frame, change } = useFrame();
  const shown = { first: read?.window.first ?? '', last: read?.window.last ?? '' };
  const form = useFields(shown, undefined, true);
  const take = (window: string) => {
    change({ window });
    done();
  };
  const days = { slotProps: { inputLabel: { shrink: true } }, size: 'small', type: 'date', fullWidth: true } as const;
  const held = { min: read?.first_held, max: read?.complete_through };
  return (
    <form
      aria-label={t`Window`}
      style={{
        padding: '12px 16px',
        display: 'grid',
        gridTemplateColumns: 'minmax(0, 1fr)',
        gap: 12,
        width: 400,
        maxWidth: '90vw',
        boxSizing: 'border-box',
      }}
      onSubmit={(e) => void form.handleSubmit(({ first, last }) => take(`${first}/${last}`))(e)}
    >
      <div role="group" aria-label={t`Presets`} className="presets">
        {PRESETS.map(([value, label]) => (
          <button
            key={value}
            type="button"
            className="plain"
            style={{ textAlign: 'left' }}
            aria-pressed={frame.window === value}
            onClick={() => take(value)}
          >
            {label}
          </button>
        ))}
      </div>
      <PeriodPick label={t`A month, quarter or year`} value={frame.window} read={read} pick={take} />
      <div style={{ display: 'flex', gap: 8, alignItems: 'start' }}>
        <TextIn
          {...days}
          form={form}
          name="first"
          label={t`From`}
          rules={{ required: t`Which day does it begin on?` }}
          slotProps={{ ...days.slotProps, htmlInput: held }}
        />
        <TextIn
          {...days}
          form={form}
          name="last"
          label={t`to`}
          rules={{
            required: t`Which day does it end on?`,
            validate: (last, { first }) => last >= first || t`The window ends before it begins.`,
          }}
        />
        <Button type="submit" variant="outlined" style={{ flex: 'none' }}>
          <Trans>Read</Trans>
        </Button>
      </div>
      <TextField
        select
        size="small"
        label={t`Against`}
        value={frame.against}
        onChange={(e) => change({ against: e.target.value })}
      >
        {AGAINST.map(([value, label]) => (
          <MenuItem key={value} value={value}>
            {label}
          </MenuItem>
        ))}
        {!AGAINST.some(([value]) => value === frame.against) && (
          <MenuItem value={frame.against}>{periodName(frame.against) ?? frame.against}</MenuItem>
        )}
      </TextField>
      <PeriodPick
        label={t`or against a month, quarter or year`}
        value={frame.against}
        read={read}
        pick={(against) => change({ against })}
      />
    </form>
  );
}

const SHOWN: ReadonlyArray<Filter> = ['page', 'query', 'country', 'device', 'kind', 'engine'];

function Segment({ by, of }: Narrowing) {
  const { site, frame, change } = useFrame();
  const about = useSite(site);
  const engines = [...new Set(about.data?.sources.filter((s) => s.counted).map((s) => s.engine) ?? [])];
  const takes = (name: Filter) => by.includes(name);
  const called = useCalled();
  const set = SHOWN.filter((name) => takes(name) && frame.where[name]);
  return (
    <div className="seg">
      <span className="l">
        <Trans>Segment</Trans>
      </span>
      <div className="chips">
        {set.map((each) => {
          const name = named(each);
          return (
            <span className="tok" key={each}>
              <span title={frame.where[each]}>
                <Trans>
                  {name} is{' '}
                  {each === 'country' ? countryName(frame.where[each] ?? '') : called(each, frame.where[each] ?? '')}
                </Trans>
              </span>
              <button
                type="button"
                aria-label={t`Remove the condition on ${name}`}
                onClick={() => change({ [each]: undefined, offset: undefined })}
              >
                ×
              </button>
            </span>
          );
        })}
        {!set.length && !frame.where.filter && (
          <span className="tok">{takes('query') ? t`All queries` : t`Everything`}</span>
        )}
        {takes('device') && !frame.where.device && (
          <select
            aria-label={t`Device`}
            value=""
            onChange={(e) => change({ device: e.target.value, offset: undefined })}
          >
            <option value="">
              <Trans>any device</Trans>
            </option>
            {['mobile', 'desktop', 'tablet'].map((d) => (
              <option key={d} value={d}>
                {named(d)}
              </option>
            ))}
          </select>
        )}
        {takes('filter') && <FilterField of={of} />}
        {takes('engine') && engines.length > 1 && !frame.where.engine && (
          <select
            aria-label={t`Engine`}
            value=""
            onChange={(e) => change({ engine: e.target.value, offset: undefined })}
          >
            <option value="">
              <Trans>every engine</Trans>
            </option>
            {engines.map((name) => (
              <option key={name} value={name}>
                {name}
              </option>
            ))}
          </select>
        )}
      </div>
    </div>
  );
}
