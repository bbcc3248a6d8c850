import { describe, expect, it } from 'vitest';
import { led, pageAt, pages } from './pages';

describe('pages', () => {
  it('are found by their address, with what it names', () => {
    expect(pageAt('/')?.page.label).toBe('Chart');
    expect(pageAt('/people')?.name).toBe('');
    expect(pageAt('/people/cindervale/ilse.okonjo')).toMatchObject({ page: { path: '/people/:' }, name: 'cindervale/ilse.okonjo' });
    expect(pageAt('/groups/cindervale/caf%C3%A9%2Fbar')?.name).toBe('cindervale/café/bar');
    for (const none of ['/people/', '/peoples', '/nowhere', '/as']) expect(pageAt(none)).toBeUndefined();
  });

  it('are each at one address', () => {
    expect(new Set(pages.map((p) => p.path)).size).toBe(pages.length);
  });

  it('are shown in the navigation to those who may see them', () => {
    expect(led(() => false).map((p) => p.label)).not.toContain('Audit');
    expect(led(() => true).map((p) => p.label)).toEqual(expect.arrayContaining(['Chart', 'Audit', 'Settings']));
    expect(led((right) => right === 'audit').map((p) => p.label)).not.toContain('Settings');
  });
});
