import { expect, test } from 'vitest';
import type { State } from '../api/client';
import { runsOf, weekLines, weekWords } from './week';

const monday = '2026-11-23';
const spans = (...edges: [string, State][]) => edges.map(([from, state], i) => ({ from, to: edges[i + 1]?.[0] ?? '2026-11-30T00:00:00Z', state }));

test('spans are runs on the wall clock, to the second', () => {
  expect(runsOf(spans(['2026-11-23T00:00:00Z', 'shut'], ['2026-11-24T12:30:00Z', 'open']), monday)).toEqual([{ state: 'shut', from: 0, to: 36.5 }, { state: 'open', from: 36.5, to: 168 }]);
  expect(runsOf(spans(['2026-11-23T00:00:00Z', 'depends'], ['2026-11-24T00:00:00Z', 'depends']), monday)).toHaveLength(1);
  expect(runsOf([], monday)).toEqual([]);
});
test('what goes alike is one line, in words', () => {
  const night = spans(['2026-11-23T00:00:00Z', 'shut'], ['2026-11-23T18:00:00Z', 'open'], ['2026-11-24T07:15:00Z', 'shut']);
  const all = spans(['2026-11-23T00:00:00Z', 'open']);
  const lines = weekLines([{ system: 'a', object: '/', right: 'r', spans: night }, { system: 'b', object: '/', right: 'r', spans: night }, { system: 'c', object: '/', right: 'r', spans: all }], monday);
  expect(lines.map((l) => l.labels.length)).toEqual([2, 1]);
  expect(weekWords(lines[0]!.runs)).toBe('open Monday 18:00 to Tuesday 07:15');
  expect(weekWords(lines[1]!.runs)).toBe('open all week');
  expect(weekWords(runsOf(spans(['2026-11-23T00:00:00Z', 'shut']), monday))).toBe('shut all week');
});
