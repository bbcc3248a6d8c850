import type { Document, MapInfo, Value } from '../api/client';
import { object, objects, text, texts } from './gates';
import { coverWords, matches } from './ranges';

/** A field of the form of a line. */
export interface LineField {
  key: string;
  label: string;
  kind: 'groups' | 'users' | 'list' | 'text' | 'choice' | 'flag' | 'json';
  options?: readonly string[];
  hint?: string;
  /** What a value that was typed covers. */
  covers?: (value: string) => string;
}

const who: LineField[] = [
  { key: 'groups', label: 'Groups', kind: 'groups' },
  { key: 'users', label: 'Users', kind: 'users' },
  { key: 'everyone', label: 'Everyone', kind: 'flag' },
  { key: 'except', label: 'Except', kind: 'json', hint: '{"groups": ["visitors"]}' },
];

/** The fields of a line of a list; an empty list: nothing is known of it. */
export function fieldsOf(type: string, list: string, d: Document, map: MapInfo, systems: readonly string[]): LineField[] {
  const last = list.split(' > ').at(-1) ?? '';
  const keys = (v: unknown) => Object.keys(object(v));
  const some = (all: readonly string[], what: string) => (pattern: string) => {
    const found = matches(pattern, all);
    return found.length ? `covers ${found.length} ${what}: ${found.slice(0, 6).join(', ')}${found.length > 6 ? ' …' : ''}` : `covers none of the ${all.length} ${what}`;
  };
  const name: LineField = { key: 'name', label: 'Name', kind: 'text' };
  const rights = texts(d.rights);
  const paths = objects(d.resources).map((r) => text(r.path));
  const hosts = object(d.hosts);
  const hostNames = Object.values(hosts).flatMap(texts);
  const zones = [
    ...Object.entries(object(d.zones)).map(([n, r]) => ({ name: n, ranges: texts(r) })),
    ...map.networks,
  ];
  const range = (value: string) => {
    const zone = zones.find((z) => z.name === value);
    return zone ? zone.ranges.join(', ') : coverWords(value, zones);
  };
  switch (`${type} ${last}`) {
    case 'roles mappings':
      return [...who, { key: 'role', label: 'Role', kind: 'choice', options: keys(d.roles) }, { key: 'object', label: 'On', kind: 'choice', options: paths }, { key: 'effect', label: 'Effect', kind: 'choice', options: ['', 'deny'] }, { key: 'where', label: 'Where tags are', kind: 'json', hint: '{"stage": "raw"}' }];
    case 'roles limits':
      return [name, { key: 'rights', label: 'Rights', kind: 'list', options: rights, covers: some(rights, 'rights') }, { key: 'object', label: 'On', kind: 'choice', options: paths }, { key: 'except', label: 'Except', kind: 'json' }];
    case 'roles resources':
      return [{ key: 'path', label: 'Path', kind: 'text' }, { key: 'tags', label: 'Tags', kind: 'json', hint: '{"stage": "raw"}' }, { key: 'sealed', label: 'Sealed: takes nothing from above', kind: 'flag' }];
    case 'licences mappings':
      return [...who, { key: 'product', label: 'Product', kind: 'choice', options: objects(d.products).map((p) => text(p.product)) }, { key: 'without', label: 'Without', kind: 'list' }];
    case 'licences products':
      return [{ key: 'product', label: 'Product', kind: 'text' }, { key: 'seats', label: 'Seats', kind: 'json', hint: 'a number' }, { key: 'features', label: 'Features', kind: 'json', hint: '["viewer"]' }];
    case 'firewall rules':
      return [name, { key: 'action', label: 'Action', kind: 'choice', options: ['permit', 'refuse'] }, ...who, { key: 'from', label: 'From', kind: 'list', options: zones.map((z) => z.name), covers: range }, { key: 'to', label: 'To', kind: 'list', options: zones.map((z) => z.name), covers: range }, { key: 'services', label: 'Services', kind: 'list', options: keys(d.services), covers: (v) => texts(object(d.services)[v]).join(', ') }];
    case 'network policies':
      return [name, { key: 'verdict', label: 'Verdict', kind: 'choice', options: ['admit', 'refuse'] }, { key: 'tags', label: 'Tags', kind: 'list', options: objects(object(d.tags).rules).map((t) => text(t.tag)) }, ...who, { key: 'reply', label: 'Reply', kind: 'json', hint: '{"vlan": 30}' }];
    case 'network rules':
      return [{ key: 'tag', label: 'Tag', kind: 'text' }, ...who];
    case 'app mappings':
      return [...who, { key: 'role', label: 'Role', kind: 'choice', options: keys(d.roles) }];
    case 'app teams':
      return [{ key: 'team', label: 'Team', kind: 'text' }, ...who];
    case 'files door':
    case 'files entries':
      return [...who, { key: 'allow', label: 'Allow', kind: 'list', options: ['reader', 'editor', 'full', 'list', 'read', 'write', 'delete', 'manage'] }, { key: 'deny', label: 'Deny', kind: 'list', options: ['reader', 'editor', 'full', 'list', 'read', 'write', 'delete', 'manage'] }];
    case 'hosts login':
      return [...who, { key: 'hosts', label: 'Hosts', kind: 'list', options: [...keys(hosts), ...hostNames], covers: (v) => texts(hosts[v]).join(', ') }, { key: 'effect', label: 'Effect', kind: 'choice', options: ['', 'deny'] }];
    case 'hosts elevate': {
      const commands = [...new Set(objects(d.elevate).flatMap((e) => texts(e.commands)))];
      return [...who, { key: 'hosts', label: 'Hosts', kind: 'list', options: [...keys(hosts), ...hostNames], covers: (v) => texts(hosts[v]).join(', ') }, { key: 'commands', label: 'Commands', kind: 'list', options: commands, covers: (v) => (v.includes('*') ? some(commands.map((c) => c.replaceAll('*', 'x')), 'patterns of this system, read as commands')(v) : 'this command line alone') }, { key: 'except_commands', label: 'Except commands', kind: 'list' }, { key: 'as', label: 'As', kind: 'text' }, { key: 'password', label: 'Asks for a password', kind: 'flag' }];
    }
    case 'federation claims':
      return [{ key: 'claim', label: 'Claim', kind: 'text' }, { key: 'from', label: 'From the attribute', kind: 'text' }, { key: 'from_groups', label: 'From the names of groups', kind: 'flag' }, { key: 'pattern', label: 'Pattern', kind: 'text' }, { key: 'value', label: 'Value', kind: 'text' }, ...who];
    case 'signin policies':
      return [name, ...who, { key: 'apps', label: 'Systems', kind: 'list', options: ['all', ...systems] }, { key: 'then', label: 'Then', kind: 'json', hint: '"block", or {"require": ["aal2"]}' }, { key: 'mode', label: 'Mode', kind: 'choice', options: ['', 'enforced', 'watch', 'disabled'] }];
  }
  return [];
}

/** The keys of a condition, with what they can be. */
export function conditionFields(map: MapInfo): { key: string; label: string; options: readonly string[] }[] {
  const networks = map.networks.map((n) => n.name);
  return [
    { key: 'windows', label: 'In windows', options: map.windows.map((w) => w.name) },
    { key: 'networks', label: 'From networks', options: networks },
    { key: 'not_networks', label: 'Not from networks', options: networks },
    { key: 'device', label: 'Device', options: ['managed', 'compliant'] },
    { key: 'strength', label: 'At least', options: ['aal1', 'aal2', 'aal3'] },
    { key: 'access', label: 'Access', options: ['vpn', 'wifi', 'wired'] },
    { key: 'clients', label: 'Clients', options: ['browser', 'native', 'legacy'] },
    { key: 'risk', label: 'Risk', options: ['low', 'medium', 'high'] },
  ];
}

/** A value without the keys that are empty. */
export function tidy(v: Value): Value {
  return Object.fromEntries(Object.entries(v).filter(([, x]) => x !== '' && x !== false && x !== undefined && x !== null && !(Array.isArray(x) && x.length === 0) && !(typeof x === 'object' && !Array.isArray(x) && Object.keys(x as Value).length === 0)));
}
