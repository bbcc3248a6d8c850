import { describe, expect, test } from 'vitest';
import type { Document, MapInfo, Schema } from '../api/client';
import { conditionsOf, fieldsOf, tidy } from './lineforms';

const map: MapInfo = { title: 't', revision: 1, time_zone: 'UTC', networks: [{ name: 'summit', ranges: ['198.51.100.0/24'] }], windows: [], users: 1, groups: 1, systems: 1 };

const scalar: Schema = { type: ['string', 'number', 'boolean'] };
const some = (item: Schema, description = ''): Schema => ({ anyOf: [{ type: 'array', items: item }, item], description });
const keys = (properties: Record<string, Schema>, required: string[] = []): Schema => ({ type: 'object', properties, required, 'x-order': Object.keys(properties) });
const list = (item: Schema): Schema => ({ type: 'array', items: item });
const who = { groups: some(scalar, 'Members of any of these groups.'), users: some(scalar), everyone: { type: 'boolean' }, except: keys({ groups: some(scalar) }) };
const when = keys({ networks: some(scalar), not_networks: some(scalar), device: some({ enum: ['managed', 'compliant'] }), device_groups: some(scalar) });
const schema: Schema = {
  $defs: {
    'system-roles': keys({ mappings: list(keys({ ...who, role: scalar, effect: { enum: ['allow', 'deny'] }, when, off: { type: 'boolean' } }, ['role'])), limits: list(keys({ rights: some(scalar) })) }),
    'system-firewall': keys({ rules: list(keys({ name: scalar, action: { enum: ['permit', 'refuse'] }, to: some(scalar), services: some(scalar) }, ['name', 'action'])) }),
    'system-licences': keys({ mappings: list(keys({ product: scalar })), products: list(keys({ product: scalar }, ['product'])) }),
    'system-files': keys({ shares: list(keys({ door: list(keys({ allow: some({ enum: ['read', 'write'] }) })), folders: { type: 'object', additionalProperties: keys({ entries: list(keys(who)) }) } })) }),
  },
};
const form = (type: string, at: string, d: Document = {}) => fieldsOf(schema, type, at, d, map, []);

describe('forms of lines', () => {
  test('fields are those of the schema, in its order', () => {
    expect(form('roles', 'mappings').map((f) => [f.key, f.kind])).toEqual([['groups', 'groups'], ['users', 'users'], ['everyone', 'flag'], ['except', 'json'], ['role', 'choice'], ['effect', 'choice']]);
    expect(form('roles', 'mappings')[0]).toMatchObject({ label: 'Groups', hint: 'Members of any of these groups.' });
    expect(form('roles', 'mappings')[5]!.options).toEqual(['', 'allow', 'deny']);
    expect(form('firewall', 'rules')[1]!.options).toEqual(['permit', 'refuse']);
  });
  test('lists are found in what has a name', () => {
    expect(form('files', 'shares > charts > door').map((f) => [f.key, f.options])).toEqual([['allow', ['read', 'write']]]);
    expect(form('files', 'shares > charts > folders > / > entries').map((f) => f.key)).toEqual(['groups', 'users', 'everyone', 'except']);
  });
  test('fields know what exists', () => {
    expect(form('roles', 'mappings', { roles: { reader: {}, writer: {} } }).find((f) => f.key === 'role')?.options).toEqual(['reader', 'writer']);
  });
  test('a name that a list gives is free, and one that a line uses is chosen', () => {
    const d = { products: [{ product: 'planner' }] };
    expect(form('licences', 'products', d)[0]!.kind).toBe('text');
    expect(form('licences', 'mappings', d)[0]).toMatchObject({ kind: 'choice', options: ['', 'planner'] });
  });
  test('ranges, services and patterns say what they cover', () => {
    const d = { zones: { dome: ['192.0.2.0/28'] }, services: { web: ['tcp/80', 'tcp/443'] } };
    const rule = (key: string) => form('firewall', 'rules', d).find((f) => f.key === key)!.covers!;
    expect(rule('to')('dome')).toBe('192.0.2.0/28');
    expect(rule('to')('192.0.2.0/24')).toBe('256 addresses; all of dome');
    expect(rule('services')('web')).toBe('tcp/80, tcp/443');
    const limit = form('roles', 'limits', { rights: ['a:b', 'a:c'] })[0]!.covers!;
    expect(limit('a:*')).toBe('covers 2 rights: a:b, a:c');
    expect(limit('x:*')).toBe('covers none of the 2 rights');
  });
  test('a list that nothing is known of has no fields', () => {
    expect(form('network', 'acls')).toEqual([]);
    expect(form('roles', 'acls')).toEqual([]);
  });
  test('conditions are those that a line takes', () => {
    expect(conditionsOf(schema, 'roles', 'mappings', map).map((c) => [c.label, c.kind, c.options])).toEqual([
      ['Networks', 'list', ['summit']], ['Not networks', 'list', ['summit']], ['Device', 'list', ['managed', 'compliant']], ['Device groups', 'groups', []],
    ]);
    expect(conditionsOf(schema, 'roles', 'limits', map)).toEqual([]);
  });
  test('what is empty is left out', () => {
    expect(tidy({ groups: [], role: 'reader', effect: '', everyone: false, where: {}, seats: 0 })).toEqual({ role: 'reader', seats: 0 });
  });
});
