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

/** Lets a plain link change the page without loading it anew. */
export function follow(event: MouseEvent) {
  const link = event.currentTarget as HTMLAnchorElement;
  if (event.button !== 0 || event.metaKey || event.ctrlKey || event.shiftKey || event.altKey) return;
  event.preventDefault();
  place.go(link.pathname + link.search);
}
