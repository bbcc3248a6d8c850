/** A column of a table: what it says of a row, and how. */
export interface Column<T> {
  name: string;
  label: string;
  text: (row: T) => string;
  href?: (row: T) => string;
  number?: boolean;
  figures?: boolean;
  state?: (row: T) => string;
}

const words = new Intl.Collator('en', { numeric: true, sensitivity: 'base' });

/** The rows of which some column contains every word of a text. */
export function filtered<T>(rows: readonly T[], columns: readonly Column<T>[], text: string): readonly T[] {
  const wanted = text.toLowerCase().split(/\s+/).filter(Boolean);
  if (wanted.length === 0) return rows;
  return rows.filter((row) => {
    const all = columns.map((c) => c.text(row)).join('\n').toLowerCase();
    return wanted.every((w) => all.includes(w));
  });
}

/** The rows by a column; a minus before its name turns the order round. */
export function sorted<T>(rows: readonly T[], columns: readonly Column<T>[], by: string): readonly T[] {
  const down = by.startsWith('-');
  const column = columns.find((c) => c.name === (down ? by.slice(1) : by));
  if (!column) return rows;
  const compare = column.number
    ? (a: T, b: T) => (Number.parseFloat(column.text(a)) || 0) - (Number.parseFloat(column.text(b)) || 0)
    : (a: T, b: T) => words.compare(column.text(a), column.text(b));
  const list = [...rows].sort(compare);
  return down ? list.reverse() : list;
}

/** The rows as comma-separated values (RFC 4180). What a spreadsheet would take for
 * a formula gets an apostrophe in front. */
export function csv<T>(rows: readonly T[], columns: readonly Column<T>[]): string {
  const field = (text: string) => {
    const safe = /^[=+\-@\t\r]/.test(text) && !/^-?\d+(\.\d+)?$/.test(text) ? `'${text}` : text;
    return /[",\r\n]/.test(safe) ? `"${safe.replaceAll('"', '""')}"` : safe;
  };
  return [columns.map((c) => field(c.label)), ...rows.map((row) => columns.map((c) => field(c.text(row))))].map((r) => r.join(',') + '\r\n').join('');
}
