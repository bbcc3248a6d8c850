// @vitest-environment jsdom
import { render, screen, waitFor } from '@testing-library/svelte';
import userEvent from '@testing-library/user-event';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { api, type Item, type Page } from '../api/client';
import NameField from './NameField.svelte';

const people: Item[] = [
  { kind: 'user', name: 'cindervale/ilse.okonjo', title: 'Ilse Okonjo', active: true },
  { kind: 'user', name: 'cindervale/ivo.marescaux', title: 'Ivo Marescaux', active: true },
];

describe('a field that completes names', () => {
  beforeEach(() => {
    vi.restoreAllMocks();
    vi.spyOn(api, 'search').mockImplementation(async (text) => {
      const items = people.filter((p) => p.title!.toLowerCase().includes(text.toLowerCase()));
      return { items, total: items.length, revision: 1 } as unknown as Page;
    });
  });

  const shown = () => screen.queryAllByRole('option').map((o) => o.textContent?.trim().replace(/\s+/g, ' '));

  it('is a combobox with a label, and tells which choice is meant', async () => {
    const user = userEvent.setup();
    render(NameField, { label: 'Member', kind: 'user' });
    const field = screen.getByRole('combobox', { name: 'Member' });
    expect(field.getAttribute('aria-expanded')).toBe('false');
    await user.type(field, 'i');
    await waitFor(() => expect(shown()).toEqual(['Ilse Okonjo cindervale/ilse.okonjo', 'Ivo Marescaux cindervale/ivo.marescaux']));
    expect(field.getAttribute('aria-expanded')).toBe('true');
    expect(field.getAttribute('aria-controls')).toBe(screen.getByRole('listbox').id);
    expect(field.getAttribute('aria-activedescendant')).toBeNull();
    await user.keyboard('{ArrowDown}{ArrowDown}');
    const meant = document.getElementById(field.getAttribute('aria-activedescendant')!);
    expect(meant?.textContent).toContain('Ivo Marescaux');
    expect(meant?.getAttribute('aria-selected')).toBe('true');
    await user.keyboard('{ArrowDown}'); // from the last to the first
    expect(document.getElementById(field.getAttribute('aria-activedescendant')!)?.textContent).toContain('Ilse Okonjo');
  });

  it('takes what is chosen by keys, and leaves what is typed whole', async () => {
    const user = userEvent.setup();
    render(NameField, { label: 'Member', kind: 'user' });
    const field = screen.getByRole<HTMLInputElement>('combobox');
    await user.type(field, 'ivo');
    await waitFor(() => expect(shown()).toHaveLength(1));
    await user.keyboard('{ArrowDown}{Enter}');
    expect(field.value).toBe('cindervale/ivo.marescaux');
    expect(shown()).toEqual([]);
    await user.clear(field);
    await user.type(field, 'ilse');
    await waitFor(() => expect(shown()).toHaveLength(1));
    await user.keyboard('{Escape}');
    expect(shown()).toEqual([]);
    expect(field.value).toBe('ilse');
  });

  it('asks for what was typed last, and shows the answer to that', async () => {
    const answers: ((p: Page) => void)[] = [];
    vi.mocked(api.search).mockImplementation(() => new Promise((then) => answers.push(then)));
    const user = userEvent.setup();
    render(NameField, { label: 'Member', kind: 'user' });
    await user.type(screen.getByRole('combobox'), 'ils');
    await waitFor(() => expect(answers.length).toBe(1));
    await user.type(screen.getByRole('combobox'), 'e');
    await waitFor(() => expect(answers.length).toBe(2));
    answers[1]!({ items: [people[0]!], total: 1, revision: 1 } as unknown as Page);
    answers[0]!({ items: people, total: 2, revision: 1 } as unknown as Page);
    await waitFor(() => expect(shown()).toHaveLength(1));
  });
});
