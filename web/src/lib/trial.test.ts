import { expect, test } from 'vitest';
import type { Effected } from '../api/client';
import { changeOf, counted, kinds, stateAndReason, tally } from './trial';

const kind = (name: string) => kinds.find((k) => k.do === name)!;

test('a form becomes a change, without what was left empty', () => {
  expect(changeOf(kind('join'), { group: ' night-crew ', member: 'teo.marchetti', user: 'left from before' })).toEqual({ do: 'join', group: 'night-crew', member: 'teo.marchetti' });
  expect(changeOf(kind('set-user'), { user: 'u', attribute: 'title', value: 'Dome engineer' })).toEqual({ do: 'set-user', user: 'u', attribute: 'title', value: 'Dome engineer' });
  expect(changeOf(kind('set-user'), { user: 'u', attribute: 'active', value: 'false' })).toEqual({ do: 'set-user', user: 'u', attribute: 'active', value: false });
  expect(changeOf(kind('set-user'), { user: 'u', attribute: 'title', value: '' })).toEqual({ do: 'set-user', user: 'u', attribute: 'title' });
  expect(changeOf(kind('add-line'), { system: 'archive', list: 'mappings', value: '{"role": "reader"}', before: '1' })).toEqual({
    do: 'add-line', system: 'archive', list: 'mappings', value: { role: 'reader' }, before: '1',
  });
});

test('a value that begins like JSON and is not JSON is told', () => {
  expect(() => changeOf(kind('add-line'), { system: 'a', list: 'b', value: '{role: reader' })).toThrow('begins like JSON');
});

test('effects in words', () => {
  expect(tally({ gains: 1, losses: 2, changes: 0, reroutes: 1 })).toBe('1 gain, 2 losses, 1 other route');
  expect(tally({ gains: 0, losses: 0, changes: 0, reroutes: 0 })).toBe('Nobody gains or loses anything');
});

test('a state is told with what shuts it', () => {
  const e = { state: 'shut', shut_by: [{ reason: 'policy', at: 'desk/old clients' }] } as unknown as Effected['before'];
  expect(stateAndReason(e)).toBe('shut, policy desk/old clients');
  expect(stateAndReason(undefined)).toBe('none');
  expect([counted(1, 'loss'), counted(2, 'person'), counted(2, 'further piece')]).toEqual(['1 loss', '2 people', '2 further pieces']);
});
