import type { Facts } from '../api/client';
import { place } from './place.svelte';

export const fields = ['from', 'at', 'device', 'device_name', 'strength', 'access', 'client', 'risk', 'via'] as const;
export type Field = (typeof fields)[number];

/** The situation in which a page answers. It lives in the address, so that a
 * link carries it; a fact that is not there is unknown. */
class Situation {
  get(field: Field): string {
    return place.get(field);
  }

  set(facts: Partial<Record<Field, string>>) {
    place.set(facts);
  }

  get facts(): Facts {
    const facts: Record<string, string> = {};
    for (const field of fields) {
      const value = place.get(field);
      if (value) facts[field] = value;
    }
    return facts as Facts;
  }

  /** The facts in words; none are any. */
  get words(): string {
    return Object.entries(this.facts).map(([fact, value]) => `${fact.replace('_', ' ')} ${value}`).join(', ') || 'any';
  }

  /** The facts as one text, to know whether they changed. */
  get key(): string {
    return fields.map((f) => place.get(f)).join('\n');
  }

  clear() {
    this.set(Object.fromEntries(fields.map((f) => [f, ''])));
  }
}

export const situation = new Situation();
