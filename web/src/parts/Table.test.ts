// @vitest-environment jsdom
import { render, screen, within } from '@testing-library/svelte';
import userEvent from '@testing-library/user-event';
import { beforeEach, describe, expect, it } from 'vitest';
import { place } from '../lib/place.svelte';
import Table from './Table.svelte';

interface Row {
  name: string;
  people: number;
}

const rows: Row[] = Array.from({ length: 105 }, (_, i) => ({ name: `group-${String(i).padStart(3, '0')}`, people: (i * 8) % 105 }));
const columns = [
  { name: 'name', label: 'Name', text: (r: Row) => r.name },
  { name: 'people', label: 'People', text: (r: Row) => String(r.people), sort: (r: Row) => r.people, number: true },
];

describe('a table', () => {
  beforeEach(() => place.set({ 'g-by': '', 'g-find': '', 'g-page': '' }));

  // By their place in the table: asking for 105 rows by role takes seconds.
  const names = () => [...document.querySelectorAll('tbody tr td:first-child')].map((cell) => cell.textContent!.trim());
  const first = () => names()[0];

  it('sorts by a column, up and down, and says so', async () => {
    const user = userEvent.setup();
    render(Table<Row>, { name: 'g', label: 'Groups', rows, columns });
    const header = screen.getByRole('columnheader', { name: /People/ });
    expect(header.getAttribute('aria-sort')).toBe('none');
    await user.click(within(header).getByRole('button'));
    expect(header.getAttribute('aria-sort')).toBe('ascending');
    expect(first()).toBe('group-000');
    await user.click(within(header).getByRole('button'));
    expect(header.getAttribute('aria-sort')).toBe('descending');
    expect(first()).toBe(rows.find((r) => r.people === 104)!.name);
  });

  it('turns pages, which together hold every row once', async () => {
    const user = userEvent.setup();
    render(Table<Row>, { name: 'g', label: 'Groups', rows, columns });
    const seen: string[] = [];
    for (;;) {
      seen.push(...names());
      const next = screen.getByRole<HTMLButtonElement>('button', { name: 'Next' });
      if (next.disabled) break;
      await user.click(next);
    }
    expect(seen).toEqual(rows.map((r) => r.name));
  });

  it('filters, counts what is left, and says when nothing is', async () => {
    const user = userEvent.setup();
    render(Table<Row>, { name: 'g', label: 'Groups', rows, columns });
    const filter = screen.getByRole('searchbox', { name: 'Filter Groups' });
    await user.type(filter, 'group-01');
    expect(screen.getByRole('status').textContent).toBe('10 of 105');
    await user.type(filter, 'x');
    expect(screen.getByText('Nothing matches the filter.')).toBeTruthy();
    expect(screen.getByRole<HTMLButtonElement>('button', { name: 'Export CSV of Groups' }).disabled).toBe(true);
  });

  it('says when there is nothing', () => {
    render(Table<Row>, { name: 'g', label: 'Groups', rows: [], columns, nothing: 'No group yet.' });
    expect(screen.getByText('No group yet.')).toBeTruthy();
  });
});
