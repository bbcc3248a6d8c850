import type { Document, Line, Value } from '../api/client';
import { kindWords } from './words';

/** What is read of documents of systems, whatever the type of their gates. */
export const list = (v: unknown): unknown[] => (Array.isArray(v) ? v : v === undefined || v === null ? [] : [v]);
export const texts = (v: unknown): string[] => list(v).map((x) => (typeof x === 'object' ? JSON.stringify(x) : String(x)));
export const object = (v: unknown): Value => (typeof v === 'object' && v !== null && !Array.isArray(v) ? (v as Value) : {});
export const objects = (v: unknown): Value[] => list(v).map(object);
export const text = (v: unknown): string => (v === undefined || v === null ? '' : String(v));

/** The lists of each type of gate to which something can be added, though nothing stands
 * in them yet. */
export const listsOf: Record<string, string[]> = {
  roles: ['mappings', 'limits', 'resources'],
  licences: ['mappings', 'products'],
  firewall: ['rules'],
  network: ['policies'],
  app: ['mappings', 'teams'],
  files: ['shares'],
  hosts: ['login', 'elevate'],
  federation: ['parties'],
  signin: ['policies'],
};

/** Whether a line stands in a list of a document, such as the door of the share charts: its list is
 * "shares > charts > door", or has the number of an element that has no name of its own. */
export const standsIn = (line: { list?: string }, ...path: readonly (string | readonly [name: string, at: number])[]): boolean =>
  line.list?.split(' > ').every((step, i, all) => all.length === path.length && [path[i]].flat().some((p) => step === (typeof p === 'number' ? String(p + 1) : p))) ?? false;

/** For whom a line is. */
export function whoWords(v: Value): string {
  const who = [
    ...(v.everyone ? ['everyone'] : []),
    ...texts(v.groups),
    ...texts(v.users),
    ...objects(v.claims).map((c) => `claim ${text(c.claim)}=${text(c.is)}`),
    ...texts(v.tags).map((t) => (v.verdict ? `tag ${t}` : '')).filter(Boolean),
  ];
  const except = object(v.except);
  const but = [...texts(except.groups), ...texts(except.users)];
  return (who.join(', ') || 'all') + (but.length ? `, except ${but.join(', ')}` : '');
}

/** The kind of need of each key of a condition that is called otherwise. */
const kinds: Record<string, string> = { networks: 'network', not_networks: 'network', windows: 'window', device_groups: 'device-group', clients: 'client' };

/** When a line holds; empty: always. */
export function whenWords(v: Value): string {
  return Object.entries(object(v.when))
    .map(([key, value]) => kindWords(kinds[key] ?? key, texts(value), key.startsWith('not_')))
    .join(', ');
}

/** What a statement asks of a claim. */
function claimWords(v: Value): string {
  const test = (['is', 'starts', 'ends'] as const).find((t) => v[t] !== undefined);
  return v.claim && test ? ` where ${text(v.claim)} ${test === 'is' ? 'is' : `${test} with`} ${text(v[test])}` : '';
}

/** What a line gives or takes, by the type of its gate. */
export function givesWords(type: string, line: { line: string; list?: string; value?: Value }): string {
  const v = line.value ?? {};
  const last = line.list?.split(' > ').at(-1) ?? '';
  const on = (what: string) => (v.object ? `${what} on ${text(v.object)}` : what);
  switch (type) {
    case 'roles':
      if (v.role) return (v.effect === 'deny' ? 'denies ' : '') + on(text(v.role)) + (v.where ? ` where ${Object.entries(object(v.where)).map(([k, x]) => `${k} is ${text(x)}`).join(', ')}` : '');
      return v.rights ? `limits ${on(texts(v.rights).join(', '))}` : '';
    case 'licences':
      return text(v.product) + (v.without ? ` without ${texts(v.without).join(', ')}` : '');
    case 'firewall':
      return `${text(v.action)} ${texts(v.services).join(', ') || 'any service'}${v.from ? ` from ${texts(v.from).join(', ')}` : ''}${v.to ? ` to ${texts(v.to).join(', ')}` : ''}`;
    case 'network':
      return v.tag ? `tag ${text(v.tag)}` : `${text(v.verdict)}${object(v.reply).class ? ` as ${text(object(v.reply).class)}` : ''}`;
    case 'app':
      return v.role ? `role ${text(v.role)}` : v.team ? `team ${text(v.team)}` : '';
    case 'files':
      return [v.allow ? `allows ${texts(v.allow).join(', ')}` : '', v.deny ? `denies ${texts(v.deny).join(', ')}` : ''].filter(Boolean).join(', ') + (last === 'door' ? ' at the door' : '');
    case 'hosts':
      return v.commands ? `run ${texts(v.commands).join(', ')} as ${text(v.as)} on ${texts(v.hosts).join(', ')}` : `${v.effect === 'deny' ? 'no login' : 'login'} on ${texts(v.hosts).join(', ')}`;
    case 'federation':
      return v.claim ? `claim ${text(v.claim)}${v.from ? ` from ${text(v.from)}` : v.value && !v.from_groups ? ` = ${text(v.value)}` : ' from groups'}` : v.permit || v.refuse ? `${v.permit ? 'permits' : 'refuses'}${claimWords(object(v.permit ?? v.refuse))}` : '';
    case 'signin':
      return `${v.then === 'block' ? 'blocks' : `asks for ${texts(object(v.then).require).join(', ')}`} at ${texts(v.apps).join(', ')}${v.mode && v.mode !== 'enforced' ? ` (${text(v.mode)})` : ''}`;
  }
  return '';
}

/** The name of a line without its system's. */
export const ruleOf = (line: string) => line.slice(line.indexOf('/') + 1);

/** What one can ask about in a system. */
export interface Points {
  objects: string[];
  rights: string[];
}

export function pointsOf(type: string, d: Document, systems: readonly string[]): Points {
  const keys = (v: unknown) => Object.keys(object(v));
  switch (type) {
    case 'roles':
      return { objects: objects(d.resources).map((r) => text(r.path)), rights: texts(d.rights) };
    case 'licences':
      return {
        objects: objects(d.products).map((p) => text(p.product)),
        rights: [...new Set(objects(d.products).flatMap((p) => list(p.features).map((f) => (typeof f === 'string' ? f : text(object(f).feature)))))],
      };
    case 'firewall':
      return { objects: keys(d.zones), rights: keys(d.services) };
    case 'network':
      return { objects: ['vpn', 'wifi', 'wired', 'tag'], rights: ['admit', ...new Set(objects(object(d.tags).rules).map((t) => text(t.tag)))] };
    case 'app':
      return { objects: keys(d.modules), rights: [...new Set(Object.values(object(d.modules)).flatMap(texts))] };
    case 'files':
      return { objects: objects(d.shares).flatMap((s) => objects(s.folders).map((f) => `${text(s.share)}:${text(f.path)}`)), rights: ['list', 'read', 'write', 'delete', 'manage'] };
    case 'hosts':
      return {
        objects: [...new Set(Object.values(object(d.hosts)).flatMap(texts))],
        rights: ['login', ...objects(d.elevate).flatMap((e) => texts(e.commands).map((c) => `run ${c} as ${text(e.as)}`))],
      };
    case 'federation':
      return { objects: objects(d.parties).map((p) => text(p.party)), rights: ['sign-in'] };
    case 'signin':
      return { objects: [...systems], rights: ['sign-in'] };
  }
  return { objects: [], rights: [] };
}

/** What keeps a line from mattering: which lines stand before it. */
export interface Idle {
  message: string;
  by: readonly string[];
  shadowed: boolean;
}

/** The findings say which lines never decide, or add nothing. */
export function idle(findings: readonly { code: string; where: { rule?: string | undefined }; message: string; names: readonly string[] }[]): Map<string, Idle> {
  const found = new Map<string, Idle>();
  for (const f of findings) {
    const rule = f.where.rule;
    if (!rule || !['shadowed', 'locked-out', 'redundant'].includes(f.code) || found.get(rule)?.shadowed) continue;
    found.set(rule, { message: f.message, by: f.names.filter((n) => n !== rule).map((n) => n.slice(n.indexOf('/') + 1)), shadowed: f.code === 'shadowed' });
  }
  return found;
}

/** Whether a line is switched off. */
export const isOff = (l: Line): boolean => l.value?.off === true;

/** Lines by the list in which they stand. */
export function byList(lines: readonly Line[]): [string, Line[]][] {
  const lists = new Map<string, Line[]>();
  for (const l of lines) lists.set(l.list ?? '', [...(lists.get(l.list ?? '') ?? []), l]);
  return [...lists];
}
