/** What goes along from page to page. */
export const carried = ['trial', 'from', 'at', 'device', 'device_name', 'strength', 'access', 'client', 'risk', 'via'];

/** Where in the console we are: the path and the query of the address. State
 * that a link should carry lives here and nowhere else. */
class Place {
  path = $state(location.pathname);
  query = $state(new URLSearchParams(location.search));

  constructor() {
    addEventListener('popstate', () => this.#read());
  }

  #read() {
    this.path = location.pathname;
    this.query = new URLSearchParams(location.search);
  }

  /** The address of a page of the console, with what goes along from page to page:
   * the trial and the situation. */
  to(path: string, query: Record<string, string> = {}): string {
    const all = new URLSearchParams();
    for (const key of carried) {
      const value = this.get(key);
      if (value) all.set(key, value);
    }
    for (const [key, value] of Object.entries(query)) {
      if (value === '') all.delete(key);
      else all.set(key, value);
    }
    const text = all.toString();
    return path + (text ? `?${text}` : '');
  }

  /** Goes to another page; the browser's back button returns. */
  go(to: string) {
    history.pushState(null, '', to);
    this.#read();
    scrollTo(0, 0);
  }

  /** Changes parts of the query in place; an empty value removes the part. */
  set(parts: Record<string, string>) {
    const query = new URLSearchParams(this.query);
    for (const [key, value] of Object.entries(parts)) {
      if (value === '') query.delete(key);
      else query.set(key, value);
    }
    const text = query.toString();
    history.replaceState(null, '', this.path + (text ? `?${text}` : ''));
    this.#read();
  }

  get(key: string): string {
    return this.query.get(key) ?? '';
  }
}

export const place = new Place();

/** The addresses of what the map holds. */
const parts = (full: string) => full.slice(0, full.indexOf('/')) + '/' + encodeURIComponent(full.slice(full.indexOf('/') + 1));
export const links = {
  person: (full: string, query: Record<string, string> = {}) => place.to(`/people/${parts(full)}`, query),
  group: (full: string, query: Record<string, string> = {}) => place.to(`/groups/${parts(full)}`, query),
  system: (name: string, query: Record<string, string> = {}) => place.to(`/systems/${encodeURIComponent(name)}`, query),
  trial: (name: string) => place.to(`/trials/${encodeURIComponent(name)}`, { trial: name }),
};

/** Follows links to pages of the console without reloading it. */
export function follow(event: MouseEvent) {
  const link = (event.target as Element | null)?.closest('a');
  if (!link || event.defaultPrevented || event.button !== 0 || event.metaKey || event.ctrlKey || event.shiftKey || event.altKey) return;
  const href = link instanceof SVGAElement ? link.href.baseVal : (link.getAttribute('href') ?? '');
  if (!href.startsWith('/') || href.startsWith('/api/') || link.hasAttribute('download')) return;
  event.preventDefault();
  place.go(href);
}
