import type { State } from '../api/client';
import { clock, dayNames } from './time';

/** A stretch of hours of a week in one state: from the hour on, up to the other. */
export interface Run {
  state: State;
  from: number;
  to: number;
}

export interface WeekLine {
  labels: string[];
  runs: Run[];
}

export function runsOf(hours: readonly State[]): Run[] {
  const runs: Run[] = [];
  hours.forEach((state, h) => {
    const last = runs.at(-1);
    if (last?.state === state) last.to = h + 1;
    else runs.push({ state, from: h, to: h + 1 });
  });
  return runs;
}

/** What goes through the week alike is one line. */
export function weekLines(weeks: readonly { system: string; object: string; right: string; hours: State[] }[]): WeekLine[] {
  const lines = new Map<string, WeekLine>();
  for (const w of weeks) {
    const key = w.hours.join();
    const line = lines.get(key) ?? { labels: [], runs: runsOf(w.hours) };
    line.labels.push(`${w.system} ${w.right} ${w.object}`);
    lines.set(key, line);
  }
  return [...lines.values()];
}

const hour = (h: number) => `${dayNames[Math.floor(h / 24) % 7]} ${clock((h % 24) * 60)}`;

export function weekWords(runs: readonly Run[]): string {
  if (runs.length === 1) return `${runs[0]!.state} all week`;
  return runs.filter((r) => r.state !== 'none' && r.state !== 'shut').map((r) => `${r.state} ${hour(r.from)} to ${hour(r.to)}`).join(', ') || 'never open';
}
