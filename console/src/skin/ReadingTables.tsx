/** All tables of a reading that have rows, those by day or week drawn before all others. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { rowsOf, valueOf, type Column, type Reading } from '../mind/catalogue';
import { ReadingTable } from './ReadingTable';
import { StepsCharts } from './StepsCharts';
import { Empty } from './states';

type Table = Reading['tables'][number];

/** Every table that has rows; those by day or week are drawn before all others. */
export function ReadingTables({ about, answer, most }: { about: Reading; answer: unknown; most?: number }) {
  const filled = about.tables.filter((table) => rowsOf(answer, table.rows).length > 0);
  const drawn = filled.filter((table) => dayOf(table, answer));
  if (!filled.length) return <Empty why={t`Nothing of the kind in this window.`} />;
  return (
    <>
      {drawn.map((table) => (
        <Drawn key={table.name} table={table} answer={answer} />
      ))}
      {filled.map((table) => {
        const shown = (
          <ReadingTable
            key={table.name}
            reading={about.name}
            table={table.name}
            title={table.name || about.summary}
            answer={answer}
            names={filledColumns(table, answer)}
            {...(most ? { most } : {})}
          />
        );
        return table.name && dayOf(table, answer) ? (
          <details key={table.name} className="block">
            <summary>
              <Trans>The same as a table</Trans>
            </summary>
            {shown}
          </details>
        ) : (
          shown
        );
      })}
    </>
  );
}

function Drawn({ table, answer }: { table: Table; answer: unknown }) {
  const day = dayOf(table, answer)!;
  const rows = rowsOf(answer, table.rows);
  return (
    <StepsCharts
      columns={table.columns.filter((each) => each.shown)}
      rows={rows}
      days={rows.map((row) => String(valueOf(day, row)))}
    />
  );
}

/** The column that says of which day a row is, where rows are of days. */
function dayOf(table: Table, answer: unknown): Column | undefined {
  const first = table.columns.find((each) => each.shown);
  const byDay = first?.titled_by === 'by' && (answer as { by?: string }).by === 'day';
  return first?.kind === 'day' || byDay ? first : undefined;
}

const kept = new WeakMap<object, Map<string, readonly string[]>>();

/** The columns that say anything on this page: those of which nothing is known in any row stay out. */
function filledColumns(table: Table, answer: unknown): readonly string[] {
  const known = kept.get(answer as object) ?? new Map<string, readonly string[]>();
  kept.set(answer as object, known);
  const before = known.get(table.name);
  if (before) return before;
  const rows = rowsOf(answer, table.rows);
  const shown = table.columns.filter((each) => each.shown);
  const names = shown
    .filter((each, n) => n === 0 || rows.some((row) => valueOf(each, row) !== null))
    .map((each) => each.name);
  known.set(table.name, names);
  return names;
}
