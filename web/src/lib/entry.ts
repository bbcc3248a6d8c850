import type { Entitlement, State } from '../api/client';

/** Names one entitlement of a person. */
export function keyOf(e: { system: string; object: string; right: string }): string {
  return [e.system, e.object, e.right].join(' · ');
}

export interface SystemPart {
  system: string;
  entries: Entitlement[];
}

/** Puts entitlements, which come in order, together by system. */
export function bySystem(list: readonly Entitlement[]): SystemPart[] {
  const parts: SystemPart[] = [];
  for (const e of list) {
    const last = parts.at(-1);
    if (last?.system === e.system) last.entries.push(e);
    else parts.push({ system: e.system, entries: [e] });
  }
  return parts;
}

/** How many there are of each state. */
export function counts(list: readonly Entitlement[]): Record<State, number> {
  const n: Record<State, number> = { open: 0, depends: 0, shut: 0, none: 0 };
  for (const e of list) n[e.state]++;
  return n;
}
