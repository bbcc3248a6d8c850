import type { Document, MapInfo, Schema, Value } from '../api/client';
import { object, objects, text, texts } from './gates';
import { coverWords, matches } from './ranges';

/** A field of the form of a line. */
export interface LineField {
  key: string;
  label: string;
  kind: 'groups' | 'users' | 'list' | 'text' | 'choice' | 'flag' | 'json';
  /** What it is, in a sentence of the schema. */
  hint: string;
  options: readonly string[];
  /** What a value that was typed covers. */
  covers?: (value: string) => string;
}

/** What a system and its map have that a line can name, by the key of the line. */
interface Known {
  options: readonly string[];
  covers?: (value: string) => string;
}

const elementOf = (s: Schema | undefined): Schema | undefined => s?.items ?? s?.anyOf?.find((a) => a.items)?.items;

/** The schema of what stands in a list of a system, such as "shares > charts > door". */
function lineSchema(schema: Schema, type: string, list: string): Schema | undefined {
  let at = schema.$defs?.[`system-${type}`];
  for (const step of list.split(' > ')) {
    const more = at?.additionalProperties;
    at = elementOf(at) ?? at?.properties?.[step] ?? (typeof more === 'object' ? more : undefined);
  }
  return elementOf(at);
}

/** The keys of an object in the order in which they are told. */
const keysOf = (s: Schema | undefined): [string, Schema][] => (s?.['x-order'] ?? []).map((key) => [key, s!.properties![key]!]);

const labelOf = (key: string): string => key.charAt(0).toUpperCase() + key.slice(1).replaceAll('_', ' ');

/** The fields of a line of a list, as the schema has them, but for its condition and whether it is off; none: nothing is
 * known of it. */
export function fieldsOf(schema: Schema, type: string, list: string, d: Document, map: MapInfo, systems: readonly string[]): LineField[] {
  const line = lineSchema(schema, type, list);
  const named = (key: string) => list.endsWith(`${key}s`); // what stands in the list itself: it takes any name
  return keysOf(line)
    .filter(([key]) => key !== 'when' && key !== 'off')
    .map(([key, s]) => field(key, s, line!.required?.includes(key) ?? false, named(key) ? undefined : known(type, key, d, map, systems)));
}

function field(key: string, s: Schema, required: boolean, have: Known | undefined): LineField {
  const element = elementOf(s);
  const as = (kind: LineField['kind'], options: readonly string[] = []) => ({ key, label: labelOf(key), hint: s.description ?? '', kind, options, ...(have?.covers ? { covers: have.covers } : {}) });
  if (key === 'groups' || key === 'users') return as(key);
  if (s.enum) return as('choice', required ? s.enum : ['', ...s.enum]);
  if (s.type === 'boolean') return as('flag');
  if (element && element.type !== 'object') return as('list', element.enum ?? have?.options);
  if (Array.isArray(s.type)) return have ? as('choice', required ? have.options : ['', ...have.options]) : as('text');
  return as('json');
}

/** The conditions that a line can have: keys with what they can be; none where it takes none. */
export function conditionsOf(schema: Schema, type: string, list: string, map: MapInfo): LineField[] {
  const names: Record<string, readonly string[]> = { networks: map.networks.map((n) => n.name), windows: map.windows.map((w) => w.name) };
  return keysOf(lineSchema(schema, type, list)?.properties?.when).map(([key, s]) => {
    const options = elementOf(s)?.enum ?? s.enum ?? names[key.replace('not_', '')] ?? [];
    return { key, label: labelOf(key), hint: s.description ?? '', kind: key.endsWith('groups') ? 'groups' : 'list', options };
  });
}

/** What there is for a key of a line to name. */
function known(type: string, key: string, d: Document, map: MapInfo, systems: readonly string[]): Known | undefined {
  const named = (v: unknown): Known => ({ options: Object.keys(object(v)), covers: (one) => texts(object(v)[one]).join(', ') });
  switch (`${type} ${key}`) {
    case 'roles role':
    case 'app role':
      return { options: Object.keys(object(d.roles)) };
    case 'roles object':
      return { options: objects(d.resources).map((r) => text(r.path)) };
    case 'roles rights':
      return { options: texts(d.rights), covers: covering(texts(d.rights), 'rights') };
    case 'licences product':
      return { options: objects(d.products).map((p) => text(p.product)) };
    case 'firewall from':
    case 'firewall to':
      return addresses(d, map);
    case 'firewall services':
      return named(d.services);
    case 'network tags':
      return { options: objects(object(d.tags).rules).map((t) => text(t.tag)) };
    case 'hosts hosts':
      return { ...named(d.hosts), options: [...Object.keys(object(d.hosts)), ...Object.values(object(d.hosts)).flatMap(texts)] };
    case 'hosts commands':
      return commands(d);
    case 'signin apps':
      return { options: ['all', ...systems] };
  }
  return undefined;
}

/** Says which of all a pattern covers. */
const covering = (all: readonly string[], what: string) => (pattern: string) => {
  const found = matches(pattern, all);
  return found.length ? `covers ${found.length} ${what}: ${found.slice(0, 6).join(', ')}${found.length > 6 ? ' …' : ''}` : `covers none of the ${all.length} ${what}`;
};

function addresses(d: Document, map: MapInfo): Known {
  const zones = [...Object.entries(object(d.zones)).map(([name, r]) => ({ name, ranges: texts(r) })), ...map.networks];
  return { options: zones.map((z) => z.name), covers: (value) => zones.find((z) => z.name === value)?.ranges.join(', ') ?? coverWords(value, zones) };
}

function commands(d: Document): Known {
  const options = [...new Set(objects(d.elevate).flatMap((e) => texts(e.commands)))];
  const patterns = covering(options.map((c) => c.replaceAll('*', 'x')), 'patterns of this system, read as commands');
  return { options, covers: (v) => (v.includes('*') ? patterns(v) : 'this command line alone') };
}

/** A value without the keys that are empty. */
export function tidy(v: Value): Value {
  return Object.fromEntries(Object.entries(v).filter(([, x]) => x !== '' && x !== false && x !== undefined && x !== null && !(Array.isArray(x) && x.length === 0) && !(typeof x === 'object' && !Array.isArray(x) && Object.keys(x as Value).length === 0)));
}
