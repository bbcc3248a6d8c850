/** What of the map the chart shows, as the address has it. */
export interface Charted {
  by: string;
  types: boolean;
  type: string;
  system: string;
  group: string;
  user: string;
}

/** How many systems and people are drawn one by one, unless asked for. */
export const many = { systems: 26, people: 20_000 };

/** What the address asks for. A large map is summed up, unless something of it is entered. */
export function charted(get: (key: string) => string, map: { users: number; systems: number }): Charted {
  const [type, system, group, user] = [get('type'), get('system'), get('group'), get('user')];
  const entered = Boolean(system || group || user);
  const large = map.systems > many.systems || map.users > many.people;
  const by = entered ? 'group' : get('by') || (large ? 'department' : 'group');
  return { by, types: by !== 'group' && !type && (get('types') ? get('types') === 'true' : map.systems > many.systems), type, system, group, user };
}

/** The parts of a question that are not as usual. */
export function asked(c: Charted): Record<string, string> {
  const parts: Record<string, string> = { by: c.by, types: c.types ? 'true' : '', type: c.type, system: c.system, group: c.group, user: c.user };
  return Object.fromEntries(Object.entries(parts).filter(([, value]) => value));
}
