import { describe, expect, test } from 'vitest';
import { csv, filtered, sorted, type Column } from './rows';

interface Row {
  name: string;
  people: number;
}
const columns: Column<Row>[] = [
  { name: 'name', label: 'Name', text: (r) => r.name },
  { name: 'people', label: 'People', text: (r) => String(r.people), number: true },
];
const rows: Row[] = [{ name: 'night crew', people: 9 }, { name: 'Astronomers', people: 10 }, { name: 'dome 10', people: 2 }, { name: 'dome 9', people: 2 }];

describe('rows of tables', () => {
  test('all words must occur, in any case and column', () => {
    expect(filtered(rows, columns, ' NIGHT 9 ').map((r) => r.name)).toEqual(['night crew']);
    expect(filtered(rows, columns, '')).toHaveLength(4);
  });
  test('numbers sort as numbers, words regardless of case, figures in them by value', () => {
    expect(sorted(rows, columns, '-people')[0]!.name).toBe('Astronomers');
    expect(sorted(rows, columns, 'name').map((r) => r.name)).toEqual(['Astronomers', 'dome 9', 'dome 10', 'night crew']);
    expect(sorted(rows, columns, 'nothing')).toBe(rows);
  });
  test('exported fields are quoted where they must be, and are no formulas', () => {
    expect(csv([{ name: 'a "b", c', people: -3 }, { name: '=1+1', people: 1 }], columns)).toBe('Name,People\r\n"a ""b"", c",-3\r\n\'=1+1,1\r\n');
  });
});
