import { describe, expect, test } from 'vitest';
import type { MapInfo } from '../api/client';
import { fieldsOf, tidy } from './lineforms';

const map: MapInfo = { title: 't', revision: 1, time_zone: 'UTC', networks: [{ name: 'summit', ranges: ['198.51.100.0/24'] }], windows: [], users: 1, groups: 1, systems: 1 };

describe('forms of lines', () => {
  test('fields know what exists', () => {
    const fields = fieldsOf('roles', 'mappings', { roles: { reader: {}, writer: {} }, resources: [{ path: '/' }, { path: '/raw' }] }, map, []);
    expect(fields.find((f) => f.key === 'role')?.options).toEqual(['reader', 'writer']);
    expect(fields.find((f) => f.key === 'object')?.options).toEqual(['/', '/raw']);
  });
  test('ranges, services and patterns say what they cover', () => {
    const d = { zones: { dome: ['192.0.2.0/28'] }, services: { web: ['tcp/80', 'tcp/443'] } };
    const rule = (key: string) => fieldsOf('firewall', 'rules', d, map, []).find((f) => f.key === key)!.covers!;
    expect(rule('to')('dome')).toBe('192.0.2.0/28');
    expect(rule('to')('192.0.2.0/24')).toBe('256 addresses; all of dome');
    expect(rule('services')('web')).toBe('tcp/80, tcp/443');
    const limit = fieldsOf('roles', 'limits', { rights: ['a:b', 'a:c'] }, map, []).find((f) => f.key === 'rights')!.covers!;
    expect(limit('a:*')).toBe('covers 2 rights: a:b, a:c');
    expect(limit('x:*')).toBe('covers none of the 2 rights');
  });
  test('a list that nothing is known of has no fields', () => {
    expect(fieldsOf('network', 'acls', {}, map, [])).toEqual([]);
  });
  test('what is empty is left out', () => {
    expect(tidy({ groups: [], role: 'reader', effect: '', everyone: false, where: {}, seats: 0 })).toEqual({ role: 'reader', seats: 0 });
  });
});
