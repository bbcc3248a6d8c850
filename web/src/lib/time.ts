/** A point in time on the wall clock of a zone. */
export interface Wall {
  date: string; // YYYY-MM-DD
  minute: number; // since midnight, 0 to 1439
  day: number; // 0 is Monday
}

export const days = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'] as const;
export const dayNames = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'] as const;

const minutesOfDay = 1440;
const formats = new Map<string, Intl.DateTimeFormat>();

function formatOf(zone: string): Intl.DateTimeFormat {
  let format = formats.get(zone);
  if (!format) {
    format = new Intl.DateTimeFormat('en-GB', {
      timeZone: zone, hourCycle: 'h23',
      year: 'numeric', month: '2-digit', day: '2-digit', hour: '2-digit', minute: '2-digit',
    });
    formats.set(zone, format);
  }
  return format;
}

/** Reads an instant on the wall clock of a zone. */
export function wallOf(instant: Date, zone: string): Wall {
  const part: Record<string, string> = {};
  for (const p of formatOf(zone).formatToParts(instant)) part[p.type] = p.value;
  const date = `${part.year}-${part.month}-${part.day}`;
  return { date, minute: Number(part.hour) * 60 + Number(part.minute), day: dayOf(date) };
}

/** The instant at which a zone's wall clock shows a date and minute. Where a
 * clock change makes it come twice, the first; where it skips it, the same
 * distance after the change. */
export function instantOf(date: string, minute: number, zone: string): Date {
  const guess = Date.parse(`${date}T00:00:00Z`) + minute * 60_000;
  const offsetAt = (t: number) => {
    const wall = wallOf(new Date(t), zone);
    return Date.parse(`${wall.date}T00:00:00Z`) + wall.minute * 60_000 - t;
  };
  const before = guess - offsetAt(guess - 86_400_000);
  const after = guess - offsetAt(guess + 86_400_000);
  for (const t of before < after ? [before, after] : [after, before]) {
    const wall = wallOf(new Date(t), zone);
    if (wall.date === date && wall.minute === minute) return new Date(t);
  }
  return new Date(before);
}

/** The weekday of a date; 0 is Monday. */
export function dayOf(date: string): number {
  return (new Date(`${date}T00:00:00Z`).getUTCDay() + 6) % 7;
}

/** The date some days after another. */
export function plusDays(date: string, n: number): string {
  return new Date(Date.parse(`${date}T00:00:00Z`) + n * 86_400_000).toISOString().slice(0, 10);
}

/** Writes minutes since midnight as HH:MM. */
export function clock(minute: number): string {
  return `${String(Math.floor(minute / 60)).padStart(2, '0')}:${String(minute % 60).padStart(2, '0')}`;
}

/** Reads HH:MM as minutes since midnight. */
export function minutes(text: string): number {
  return Number(text.slice(0, 2)) * 60 + Number(text.slice(3, 5));
}

/** The stretch of a day, in minutes, in which a window holds. */
export interface Band {
  name: string;
  from: number;
  to: number;
}

/** The stretches of the windows on a weekday. One that runs past midnight
 * belongs to the day on which it starts, and reaches into the next. */
export function bandsOn(day: number, windows: readonly { name: string; days: readonly string[]; from: string; to: string }[]): Band[] {
  const bands: Band[] = [];
  for (const w of windows) {
    const [from, to] = [minutes(w.from), minutes(w.to)];
    const on = (d: number) => w.days.includes(days[(d + 7) % 7]!);
    if (to > from) {
      if (on(day)) bands.push({ name: w.name, from, to });
      continue;
    }
    if (on(day - 1) && to > 0) bands.push({ name: w.name, from: 0, to });
    if (on(day)) bands.push({ name: w.name, from, to: minutesOfDay });
  }
  return bands;
}
