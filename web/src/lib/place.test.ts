import { beforeEach, expect, test, vi } from 'vitest';

// The browser's address, as far as it is asked for.
const address = { pathname: '/people', search: '?trial=autumn&from=198.51.100.1&line=x' };
vi.stubGlobal('location', address);
vi.stubGlobal('addEventListener', () => {});
vi.stubGlobal('scrollTo', () => {});
vi.stubGlobal('history', {
  pushState: (_: unknown, __: string, to: string) => move(to),
  replaceState: (_: unknown, __: string, to: string) => move(to),
});
function move(to: string) {
  const [path = '', query = ''] = to.split('?');
  address.pathname = path;
  address.search = query ? `?${query}` : '';
}

const { links, place } = await import('./place.svelte');

beforeEach(() => place.go('/people?trial=autumn&from=198.51.100.1&line=x'));

test('the trial and the situation go along, what is chosen on a page does not', () => {
  expect(place.to('/groups')).toBe('/groups?trial=autumn&from=198.51.100.1');
  expect(place.to('/groups', { trial: '', find: 'crew' })).toBe('/groups?from=198.51.100.1&find=crew');
});
test('names are escaped in addresses', () => {
  expect(links.person('d/o’neil/x')).toBe('/people/d/o%E2%80%99neil%2Fx?trial=autumn&from=198.51.100.1');
  expect(links.system('a b', { trial: '', from: '' })).toBe('/systems/a%20b');
  expect(links.trial('spring')).toBe('/trials/spring?trial=spring&from=198.51.100.1');
});
test('parts of the address are set and taken away', () => {
  place.set({ line: '', view: 'week' });
  expect(place.get('line')).toBe('');
  expect(address.search).toBe('?trial=autumn&from=198.51.100.1&view=week');
});
