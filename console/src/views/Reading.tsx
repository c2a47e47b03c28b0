/** Any reading by its name, as the table of its columns: what has no view of its own yet is read here. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useQuery } from '@tanstack/react-query';
import { useParams } from 'react-router';
import type { Caution, Sentence, Timeline } from '../mind/api';
import { rowsOf, useReadings } from '../mind/catalogue';
import { useFrame } from '../mind/frame';
import { named } from '../mind/named';
import { anyReading } from '../mind/questions';
import { ReadingTable } from '../skin/ReadingTable';
import { Said } from '../skin/Said';
import { WindowBar } from '../skin/WindowBar';
import { Cautions, Pager } from '../skin/small';
import { Answer, Empty } from '../skin/states';

const LIMIT = 50;

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
  const choices = (about?.parameters ?? []).filter(
    (each) => about?.by.includes(each.name) && !each.in_path && each.choices.length > 1,
  );
  const chosen = (of: (typeof choices)[number]) =>
    of.choices.find((each) => each === search.get(`rows_${of.name}`)) ?? String(of.default);
  const found = useQuery(
    anyReading(
      site,
      about,
      frame,
      { limit: LIMIT, offset: Number(search.get('offset') ?? '0') || 0 },
      Object.fromEntries(choices.map((each) => [each.name, chosen(each)])),
    ),
  );
  if (readings.length && !about)
    return (
      <main className="page">
        <h1>
          <Trans>There is no reading {name}</Trans>
        </h1>
      </main>
    );
  return (
    <>
      {about?.parameters.some((each) => each.name === 'window') && <WindowBar read={framed(found.data)} />}
      <main className="page">
        <div className="head">
          <h1>{about?.summary ?? name}</h1>
          <span className="small">{about?.about}</span>
          <span className="r acts">
            {choices.map((each) => (
              <label key={each.name} className="small">
                <Trans>by</Trans>{' '}
                <select
                  value={chosen(each)}
                  onChange={(e) => change({ [`rows_${each.name}`]: e.target.value, offset: undefined })}
                >
                  {each.choices.map((choice) => (
                    <option key={choice} value={choice}>
                      {named(choice)}
                    </option>
                  ))}
                </select>
              </label>
            ))}
          </span>
        </div>
        <Answer of={found} height={400}>
          {(data) => (
            <div className={found.isPlaceholderData ? 'stale' : undefined}>
              <Said sentences={(data as Any).sentences} />
              {about?.tables.map(
                (table) =>
                  rowsOf(data, table.rows).length > 0 && (
                    <ReadingTable
                      key={table.name}
                      reading={name}
                      table={table.name}
                      title={table.name || about.summary}
                      answer={data}
                    />
                  ),
              )}
              {about?.tables.every((table) => !rowsOf(data, table.rows).length) && (
                <Empty why={t`Nothing of the kind in this window.`} />
              )}
              {about?.paged && <Pager data={{ offset: 0, matching: 0, rows: [], ...(data as Any) }} limit={LIMIT} />}
              <Cautions items={(data as Any).cautions ?? []} />
            </div>
          )}
        </Answer>
      </main>
    </>
  );
}
