import { describe, expect, test } from 'vitest';
import type { Pass } from '../api/client';
import { fit } from './fit';
import { bar, tone } from './lit';
import { when } from './when';

const pass = (line: string, fate: Pass['fate']): [string, Pass] => [line, { line, fate, part: 'gives', needs: [], lacks: [] }];

describe('what a probe lights up', () => {
  const lit = new Map([pass('a', 'decides'), pass('b', 'may'), pass('c', 'unmet'), pass('d', 'overtaken'), pass('e', 'others')]);
  test.each([['a', 'decides'], ['b', 'may'], ['c', 'unmet'], ['d', 'faded'], ['e', 'faded'], ['of another system', 'faded']])('%s is %s', (line, want) => {
    expect(tone(lit, line)).toBe(want);
  });
  test('without a probe all lines are plain', () => {
    expect(tone(null, 'a')).toBe('plain');
  });
});

test('states differ in shape: a gap, half a bar, a full one', () => {
  expect(new Set((['open', 'depends', 'shut'] as const).map((s) => JSON.stringify(bar(s)))).size).toBe(3);
  expect(bar('depends').dotted).not.toBe('');
});

test('labels are cut to their room, and never to nothing', () => {
  expect(fit('night-assistants', 79)).toBe('night-ass…');
  expect(fit('night-assistants', 0)).toBe('ni…');
  expect(fit('abc', 1)).toBe('abc');
});

test('a time is told to the minute, and what is none as it is', () => {
  expect(when('2026-11-23T22:04:59Z')).toMatch(/^2026-11-2[34] \d\d:04$/);
  expect(when('soon')).toBe('soon');
});
