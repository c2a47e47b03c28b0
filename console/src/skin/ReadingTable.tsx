/** A table of a reading, made from its columns: heads with their explanations, values as their kinds are written. */
import { useMemo, type ReactNode } from 'react';
import { flexRender, getCoreRowModel, useReactTable, type ColumnDef } from '@tanstack/react-table';
import { Trans } from '@lingui/react/macro';
import { Link } from 'react-router';
import { rowsOf, titleOf, useColumns, useReadings, valueOf, type Column } from '../mind/catalogue';
import { useCalled } from '../mind/datasets';
import { carried, useFrame } from '../mind/frame';
import { named } from '../mind/named';
import { useTaken } from '../mind/taken';
import { isMarked, useMarks, type Thing } from '../mind/worklist';
import { How } from './How';
import { Written, isNumber } from './written';

type Cells = Readonly<Record<string, (row: never) => ReactNode>>;

interface Props {
  reading: string;
  answer: unknown;
  table?: string;
  title: string;
  names?: readonly string[];
  heads?: Readonly<Record<string, string>>;
  cells?: Cells;
  most?: number;
}

/** names: its columns, those for people without; heads: shorter titles; cells: columns drawn in their own way. */
export function ReadingTable({ reading, answer, table = '', title, names, heads = {}, cells = {}, most }: Props) {
  const columns = useColumns(reading, table, names);
  const path =
    useReadings()
      .find((each) => each.name === reading)
      ?.tables.find((each) => each.name === table)?.rows ?? '';
  const rows = useMemo(() => rowsOf(answer, path).slice(0, most), [answer, path, most]);
  const defs = useMemo(
    () =>
      columns.map((column): ColumnDef<unknown> => ({
        id: column.name,
        accessorFn: (row) => valueOf(column, row),
        header: () => <How says={column.how || undefined}>{heads[column.name] ?? titleOf(column, answer)}</How>,
        cell: ({ row, getValue }) =>
          cells[column.name]?.(row.original as never) ?? <Value column={column} value={getValue()} answer={answer} />,
        meta: column,
      })),
    [columns, answer, heads, cells],
  );
  // eslint-disable-next-line react-hooks/incompatible-library
  const model = useReactTable({ data: rows, columns: defs, getCoreRowModel: getCoreRowModel() });
  useTaken(title, reading, answer, table, rows);
  const marks = useMarks();
  return (
    <div className="wrap">
      <table className="t">
        <thead>
          {model.getHeaderGroups().map((group) => (
            <tr key={group.id}>
              {group.headers.map((head, n) => (
                <th
                  key={head.id}
                  scope="col"
                  className={n && isNumber(head.column.columnDef.meta as Column) ? 'num' : undefined}
                >
                  {flexRender(head.column.columnDef.header, head.getContext())}
                </th>
              ))}
            </tr>
          ))}
        </thead>
        <tbody>
          {model.getRowModel().rows.map((row) => (
            <tr key={row.id} {...aboutRow(columns, row.original, answer, marks)}>
              {row.getVisibleCells().map((cell, n) => {
                const drawn = flexRender(cell.column.columnDef.cell, cell.getContext());
                return n === 0 ? (
                  <th key={cell.id} scope="row">
                    {drawn}
                  </th>
                ) : (
                  <td key={cell.id} className={isNumber(cell.column.columnDef.meta as Column) ? 'num' : 'clip'}>
                    {drawn}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

const ABOUT: Readonly<Record<string, Thing['of']>> = { query: 'query', page: 'page', term: 'query', set: 'set' };

/** What a row is about, as far as something can be done about it: its first column that names a query, page or set. */
function aboutRow(columns: readonly Column[], row: unknown, answer: unknown, marks: readonly Thing[]) {
  for (const column of columns) {
    const of = ABOUT[kindOf(column, answer)];
    const key = of && valueOf(column, row);
    if (of && typeof key === 'string' && key) {
      const verdict = (row as { verdict?: unknown }).verdict;
      return {
        'data-of': of,
        'data-key': key,
        'data-why': typeof verdict === 'string' ? named(verdict) : undefined,
        className: isMarked(marks, { of, key }) ? 'sel' : undefined,
      };
    }
  }
  return {};
}

const kindOf = (column: Column, answer: unknown) =>
  column.titled_by ? String((answer as Record<string, unknown>)[column.titled_by]) : column.name;

/** A value; queries and pages lead to what is known of them. */
function Value({ column, value, answer }: { column: Column; value: unknown; answer: unknown }) {
  const { site, search } = useFrame();
  const called = useCalled();
  const of = kindOf(column, answer);
  if (typeof value === 'string' && value !== '' && (of === 'query' || of === 'term' || of === 'page')) {
    const to = carried(search, of === 'page' ? { page: value } : { item: value });
    return (
      <Link to={`/sites/${site}/queries${to}`} title={value}>
        {value}
      </Link>
    );
  }
  if (value === '' && column.titled_by)
    return (
      <span className="mut">
        <Trans>not told</Trans>
      </span>
    );
  if (column.titled_by && typeof value === 'string') return called(of, value);
  return <Written column={column} value={value} />;
}
