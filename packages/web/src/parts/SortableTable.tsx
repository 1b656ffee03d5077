import {
  getCoreRowModel,
  getSortedRowModel,
  useReactTable,
  type ColumnDef,
  type Header,
  type RowData,
  type SortDirection,
  type SortingState,
} from "@tanstack/react-table";
import { useState, type ReactNode } from "react";
import Table from "react-bootstrap/Table";
import "./SortableTable.css";

declare module "@tanstack/react-table" {
  // The parameters have to be those of the package.
  // eslint-disable-next-line @typescript-eslint/no-unused-vars
  interface ColumnMeta<TData extends RowData, TValue> {
    /** Numbers stand to the right. */
    readonly isNumber?: boolean;
    /** Of its cells. */
    readonly className?: (row: TData) => string;
    /** Its heading is for those who hear the page. */
    readonly isUnlabelled?: boolean;
    /** What a cell says when it is pointed at. */
    readonly title?: (row: TData) => string | undefined;
  }
}

const ARIA: Readonly<Record<SortDirection, "ascending" | "descending">> = { asc: "ascending", desc: "descending" };

/** A column; it can be sorted by where it has an accessor. */
export type Column<T> = ColumnDef<T> & { readonly header: string };

interface SortableTableProps<T> {
  readonly columns: Column<T>[];
  readonly rows: T[];
  readonly idOf: (row: T) => string;
  /** As many are shown, the first ones as they are sorted; all of them, without. */
  readonly most?: number;
  readonly className?: string;
}

/** A table that stands as its rows come until the user sorts it. */
export function SortableTable<T>({ columns, rows, idOf, most, className }: SortableTableProps<T>) {
  const [sorting, setSorting] = useState<SortingState>([]);
  const table = useReactTable({
    data: rows,
    columns,
    state: { sorting },
    onSortingChange: setSorting,
    getRowId: idOf,
    autoResetAll: false,
    getCoreRowModel: getCoreRowModel(),
    getSortedRowModel: getSortedRowModel(),
  });
  return (
    <Table size="sm" hover className={className}>
      <thead>
        {table.getHeaderGroups().map(({ id, headers }) => (
          <tr key={id}>
            {headers.map((header) => (
              <Heading key={header.id} header={header} />
            ))}
          </tr>
        ))}
      </thead>
      <tbody>
        {table
          .getRowModel()
          .rows.slice(0, most)
          .map((row) => (
            <tr key={row.id}>
              {row.getVisibleCells().map((cell) => {
                const { meta, cell: content } = cell.column.columnDef;
                return (
                  <td
                    key={cell.id}
                    className={`${meta?.isNumber ? "number" : ""} ${meta?.className?.(row.original) ?? ""}`}
                    title={meta?.title?.(row.original)}
                  >
                    {/* Called, not rendered as a component: with each new function that would be a new one, and lose the focus. */}
                    {typeof content === "function" ? (content(cell.getContext()) as ReactNode) : content}
                  </td>
                );
              })}
            </tr>
          ))}
      </tbody>
    </Table>
  );
}

function Heading<T>({ header }: { readonly header: Header<T, unknown> }) {
  const { column } = header;
  const { meta, header: label } = column.columnDef;
  const sorted = column.getIsSorted();
  const text = String(label);
  return (
    <th
      scope="col"
      className={meta?.isNumber ? "number" : undefined}
      aria-sort={sorted === false ? undefined : ARIA[sorted]}
    >
      {column.getCanSort() ? (
        <button type="button" className="sort-button" onClick={column.getToggleSortingHandler()}>
          {text}
          {sorted === false ? "" : sorted === "desc" ? " ↓" : " ↑"}
        </button>
      ) : (
        <span className={meta?.isUnlabelled ? "visually-hidden" : undefined}>{text}</span>
      )}
    </th>
  );
}
