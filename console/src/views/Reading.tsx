/** Any reading by its name, as the table of its columns: what has no view of its own yet is read here. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useQuery } from '@tanstack/react-query';
import { Link, useParams } from 'react-router';
import type { Caution, Outcomes, Sentence, Timeline } from '../mind/api';
import { useReadings } from '../mind/catalogue';
import { askable, chosenOf, lacking } from '../mind/choosing';
import { useDatasets } from '../mind/datasets';
import { carried, useFrame } from '../mind/frame';
import { useKeys } from '../mind/keys';
import { kinOf } from '../mind/kin';
import { named } from '../mind/named';
import { anyReading } from '../mind/questions';
import { stepRows } from '../mind/worklist';
import { Choices } from '../skin/Choices';
import { OnMap } from '../skin/OnMap';
import { ReadingTables } from '../skin/ReadingTables';
import { Said } from '../skin/Said';
import { SiteBar, WindowBar } from '../skin/WindowBar';
import { WorthBox } from '../skin/WorthBox';
import { Cautions, Pager } from '../skin/small';
import { Answer, Empty } from '../skin/states';

const LIMIT = 50;
const ROWS = { j: () => stepRows(1), k: () => stepRows(-1) };
const MOST_DAYS = 400;

interface Any {
  sentences?: Sentence[];
  cautions?: Caution[];
  offset?: number;
  matching?: number;
  rows?: unknown[];
}

/** An answer that has a window, as most have. */
const framed = (data: unknown) =>
  data && typeof data === 'object' && 'window' in data ? (data as Timeline) : undefined;

export default function AnyReading() {
  const { name = '' } = useParams();
  const { site, frame, search, change } = useFrame();
  const readings = useReadings();
  const about = readings.find((each) => each.name === name);
  const asking = askable(about);
  const chosen = chosenOf(asking, search);
  const wanted = lacking(asking, chosen);
  const kept = useDatasets().find((each) => each.name === name);
  const usual = String(about?.parameters.find((each) => each.name === 'window')?.default ?? 'P28D');
  const asked = { ...frame, window: search.get('window') ?? usual };
  const rows = { limit: chosen.by === 'day' ? MOST_DAYS : LIMIT, offset: Number(search.get('offset') ?? '0') || 0 };
  const found = useQuery({
    ...anyReading(site, about, asked, rows, chosen),
    enabled: about !== undefined && wanted.length === 0,
  });
  useKeys(ROWS);
  if (readings.length && !about)
    return (
      <main className="page">
        <h1>
          <Trans>There is no reading {name}</Trans>
        </h1>
      </main>
    );
  const taken = (about?.parameters ?? []).map((each) => each.name);
  const takes = (parameter: string) => taken.includes(parameter);
  return (
    <>
      {takes('window') ? (
        <WindowBar
          read={framed(found.data)}
          usual={usual}
          narrowing={takes('filter') ? { by: taken, of: kept } : null}
        />
      ) : (
        about && <SiteBar />
      )}
      <main className="page">
        <Kin of={name} />
        <div className="head">
          <h1>{about?.summary ?? name}</h1>
          <span className="small">{about?.about}</span>
          <span className="r acts">
            <Choices asking={asking} chosen={chosen} change={change} />
          </span>
        </div>
        {wanted.length > 0 ? (
          <Empty why={t`Wanted, at the top right: ${named(wanted[0]!.name)}.`} />
        ) : (
          <Answer of={found} height={400}>
            {(data) => (
              <div className={found.isPlaceholderData ? 'stale' : undefined}>
                <Said sentences={(data as Any).sentences} />
                {name === 'outcomes' && <WorthBox key={site} site={site} answer={data as Outcomes} />}
                {about && <OnMap about={about} answer={data} change={change} />}
                {about && <ReadingTables about={about} answer={data} />}
                {about?.paged && <Pager data={{ offset: 0, matching: 0, rows: [], ...(data as Any) }} limit={LIMIT} />}
                <Cautions items={(data as Any).cautions ?? []} />
              </div>
            )}
          </Answer>
        )}
      </main>
    </>
  );
}

/** The readings of the same subject. */
function Kin({ of }: { of: string }) {
  const { site, search } = useFrame();
  const kin = kinOf(of);
  if (kin.length < 2) return null;
  return (
    <nav aria-label={t`Of the same subject`} className="switch">
      {kin.map((each) => (
        <Link
          key={each}
          className="plain"
          aria-current={each === of ? 'page' : undefined}
          to={`/sites/${site}/read/${each}${carried(search, { by: undefined })}`}
        >
          {named(each)}
        </Link>
      ))}
    </nav>
  );
}
