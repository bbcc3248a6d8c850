import type { State } from '../api/client';
import { clock, dayNames } from './time';

/** A stretch of a week in one state: hours of the wall clock from Monday on, with parts. */
export interface Run {
  state: State;
  from: number;
  to: number;
}

export interface WeekLine {
  labels: string[];
  runs: Run[];
}

type Span = { from: string; to: string; state: string };
type Week = { system: string; object: string; right: string; spans: readonly Span[] };

/** How many hours after the midnight of a Monday (YYYY-MM-DD) a time is on its own wall clock. */
function hourOf(time: string, monday: string): number {
  const days = (Date.parse(time.slice(0, 10)) - Date.parse(monday)) / 86_400_000;
  const [h, m, s] = time.slice(11, 19).split(':').map(Number);
  return days * 24 + h! + m! / 60 + s! / 3600;
}

/** Neighbours that differ only in what they depend on are one run. */
export function runsOf(spans: readonly Span[], monday: string): Run[] {
  const runs: Run[] = [];
  for (const s of spans) {
    const last = runs.at(-1);
    if (last?.state === s.state) last.to = hourOf(s.to, monday);
    else runs.push({ state: s.state as State, from: hourOf(s.from, monday), to: hourOf(s.to, monday) });
  }
  return runs;
}

/** What goes through the week alike is one line. */
export function weekLines(weeks: readonly Week[], monday: string): WeekLine[] {
  const lines = new Map<string, WeekLine>();
  for (const w of weeks) {
    const runs = runsOf(w.spans, monday);
    const key = JSON.stringify(runs);
    const line = lines.get(key) ?? { labels: [], runs };
    line.labels.push(`${w.system} ${w.right} ${w.object}`);
    lines.set(key, line);
  }
  return [...lines.values()];
}

const hour = (h: number) => `${dayNames[Math.floor(h / 24) % 7]} ${clock(Math.round((h % 24) * 60))}`;

export function weekWords(runs: readonly Run[]): string {
  if (runs.length === 1) return `${runs[0]!.state} all week`;
  return runs.filter((r) => r.state !== 'none' && r.state !== 'shut').map((r) => `${r.state} ${hour(r.from)} to ${hour(r.to)}`).join(', ') || 'never open';
}
