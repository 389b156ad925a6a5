/** A table of rows, told by its columns; on a narrow screen each row is a card whose cells say what they are. */
import type { ReactNode } from 'react';

export interface Column<Row> {
  /** Its heading; a column without words for the eye has them for the ear. */
  head: string;
  hidden?: boolean;
  /** A number or a size: to the right. */
  number?: boolean;
  className?: string;
  cell: (row: Row) => ReactNode;
}

interface Props<Row> {
  columns: readonly Column<Row>[];
  rows: readonly Row[];
  keyOf: (row: Row, n: number) => string;
  /** The columns need no headings: what stands in them says it. */
  headless?: boolean;
  className?: string;
  rowClass?: (row: Row) => string | undefined;
}

const classes = (...names: (string | false | undefined)[]): string | undefined => names.filter(Boolean).join(' ') || undefined;

export function Table<Row>({ columns, rows, keyOf, headless = false, className, rowClass }: Props<Row>) {
  return (
    <table className={classes('rows cards', className)}>
      {!headless && (
        <thead>
          <tr>
            {columns.map((column) => (
              <th key={column.head} scope="col" className={classes(column.number && 'num')}>
                {column.hidden ? <span className="visually-hidden">{column.head}</span> : column.head}
              </th>
            ))}
          </tr>
        </thead>
      )}
      <tbody>
        {rows.map((row, n) => (
          <tr key={keyOf(row, n)} className={rowClass?.(row)}>
            {columns.map((column) => (
              <td
                key={column.head}
                className={classes(column.number && 'num', column.className)}
                data-label={headless || column.hidden ? undefined : column.head}
              >
                {column.cell(row)}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
