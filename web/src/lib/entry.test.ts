import { expect, it } from 'vitest';
import type { Entitlement, State } from '../api/client';
import { bySystem, counts, keyOf } from './entry';

const entry = (system: string, object: string, right: string, state: State): Entitlement => ({
  system, object, right, state, needs: [], open_if: [], shut_by: [], routes: [],
});
const list = [entry('archive', '/', 'read', 'open'), entry('archive', '/raw', 'read', 'shut'), entry('tools', 'suite', 'viewer', 'depends')];

it('puts entitlements together by system, in their order', () => {
  expect(bySystem(list).map((p) => [p.system, p.entries.map(keyOf)])).toEqual([
    ['archive', ['archive · / · read', 'archive · /raw · read']],
    ['tools', ['tools · suite · viewer']],
  ]);
  expect(bySystem([])).toEqual([]);
});

it('counts the states', () => {
  expect(counts(list)).toEqual({ open: 1, depends: 1, shut: 1, none: 0 });
});
