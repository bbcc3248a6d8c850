/** The revision in force, as the service tells it while someone is signed in. */
class Revision {
  #now = $state(0);
  #changes = $state(0);
  #events: EventSource | null = null;

  get now(): number {
    return this.#now;
  }

  /** Counts what has changed: revisions, trials, and what was read of systems. */
  get changes(): number {
    return this.#changes;
  }

  /** Begins with the revision that is shown already, so that nothing is asked for twice. */
  begin(shown: number) {
    this.#now = shown;
  }

  /** Follows the service's events; the browser comes back by itself when they break off. */
  watch() {
    if (this.#events) return;
    const events = new EventSource('/api/v1/events');
    const take = (event: MessageEvent<string>) => (this.#now = (JSON.parse(event.data) as { revision: number }).revision);
    const count = () => this.#changes++;
    events.addEventListener('hello', take);
    events.addEventListener('revision', take);
    events.addEventListener('revision', count);
    events.addEventListener('trial', count);
    events.addEventListener('reading', count);
    events.addEventListener('delivery', count);
    this.#events = events;
  }

  leave() {
    this.#events?.close();
    this.#events = null;
  }
}

export const revision = new Revision();
