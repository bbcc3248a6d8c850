import { expect, test } from 'vitest';
import type { State } from '../api/client';
import { runsOf, weekLines, weekWords } from './week';

const week = (open: (h: number) => boolean): State[] => Array.from({ length: 168 }, (_, h) => (open(h) ? 'open' : 'shut'));

test('hours in one state are one run', () => {
  expect(runsOf(['open', 'open', 'shut'])).toEqual([{ state: 'open', from: 0, to: 2 }, { state: 'shut', from: 2, to: 3 }]);
  expect(runsOf([])).toEqual([]);
});
test('what goes alike is one line, in words', () => {
  const night = week((h) => h >= 18 && h < 31);
  const lines = weekLines([{ system: 'a', object: '/', right: 'r', hours: night }, { system: 'b', object: '/', right: 'r', hours: night }, { system: 'c', object: '/', right: 'r', hours: week(() => true) }]);
  expect(lines.map((l) => l.labels.length)).toEqual([2, 1]);
  expect(weekWords(lines[0]!.runs)).toBe('open Monday 18:00 to Tuesday 07:00');
  expect(weekWords(lines[1]!.runs)).toBe('open all week');
  expect(weekWords(runsOf(week(() => false)))).toBe('shut all week');
});
