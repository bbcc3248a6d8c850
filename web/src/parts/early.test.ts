// @vitest-environment jsdom
import { render, screen, waitFor } from '@testing-library/svelte';
import userEvent from '@testing-library/user-event';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { api, type Item, type Page } from '../api/client';
import { place } from '../lib/place.svelte';
import PersonSearch from './PersonSearch.svelte';

vi.stubGlobal('matchMedia', () => new EventTarget()); // jsdom has none
const { default: Palette } = await import('./Palette.svelte');

const ilse: Item = { kind: 'user', name: 'cindervale/ilse.okonjo', title: 'Ilse Okonjo', active: true };
const ivo: Item = { kind: 'user', name: 'cindervale/ivo.marescaux', title: 'Ivo Marescaux', active: true };
const page = (...items: Item[]) => ({ items, total: items.length, revision: 1 }) as unknown as Page;

// Enter that comes before the answer means the text as it stands, and nothing that an earlier text found.
describe.each([
  ['the search for a person', () => void render(PersonSearch)],
  ['the palette', () => void render(Palette, { onclose: () => {} })],
])('%s', (_, show) => {
  beforeEach(() => {
    vi.restoreAllMocks();
    Element.prototype.scrollIntoView = () => {}; // jsdom has neither
    HTMLDialogElement.prototype.showModal = function () {
      this.open = true;
    };
  });

  it('opens who was typed, however fast Enter follows', async () => {
    let release = () => {};
    vi.spyOn(api, 'search').mockImplementation((text, kind) => {
      if (kind !== 'user') return Promise.resolve(page());
      if (text === 'i') return Promise.resolve(page(ivo, ilse));
      return new Promise((then) => (release = () => then(page(ilse))));
    });
    const go = vi.spyOn(place, 'go').mockImplementation(() => {});
    const user = userEvent.setup();
    show();
    await user.type(screen.getByRole('combobox'), 'i');
    await waitFor(() => expect(screen.getByText('Ivo Marescaux')).toBeTruthy());
    await user.keyboard('l{Enter}');
    await waitFor(() => expect(api.search).toHaveBeenCalledWith('il', 'user', '', expect.anything(), expect.anything()));
    expect(go).not.toHaveBeenCalled();
    release();
    await waitFor(() => expect(go).toHaveBeenCalledTimes(1));
    expect(go.mock.calls[0]![0]).toContain('ilse.okonjo');
  });
});
