import { describe, expect, it } from 'vitest';
import { bandsOn, clock, dayOf, instantOf, plusDays, wallOf } from './time';

describe('wall clocks', () => {
  it('reads an instant in the zone of the map', () => {
    expect(wallOf(new Date('2026-07-01T23:30:00Z'), 'Atlantic/Canary')).toEqual({ date: '2026-07-02', minute: 30, day: 3 });
    expect(wallOf(new Date('2026-11-23T23:30:00Z'), 'Atlantic/Canary')).toEqual({ date: '2026-11-23', minute: 1410, day: 0 });
  });
  it('goes there and back on every hour of a week with a clock change', () => {
    for (let h = 0; h < 7 * 24; h++) {
      const t = new Date(Date.parse('2026-03-26T00:00:00Z') + h * 3_600_000);
      const wall = wallOf(t, 'Europe/Lisbon');
      expect(instantOf(wall.date, wall.minute, 'Europe/Lisbon')).toEqual(t);
    }
  });
  it('takes the first of an hour that comes twice', () => {
    expect(instantOf('2026-10-25', 90, 'Europe/Lisbon').toISOString()).toBe('2026-10-25T00:30:00.000Z');
  });
  it('moves an hour that is skipped to after the change', () => {
    expect(instantOf('2026-03-29', 90, 'Europe/Lisbon').toISOString()).toBe('2026-03-29T01:30:00.000Z');
  });
  it('counts days from Monday', () => {
    expect(dayOf('2026-11-23')).toBe(0);
    expect(dayOf(plusDays('2026-11-23', 6))).toBe(6);
    expect(clock(7 * 60 + 5)).toBe('07:05');
  });
});

describe('bands', () => {
  const night = { name: 'night', days: ['fri'], from: '22:00', to: '04:00' };
  it('let a window run past midnight into the next day', () => {
    expect(bandsOn(4, [night])).toEqual([{ name: 'night', from: 1320, to: 1440 }]);
    expect(bandsOn(5, [night])).toEqual([{ name: 'night', from: 0, to: 240 }]);
    expect(bandsOn(6, [night])).toEqual([]);
  });
  it('reach from Sunday into Monday', () => {
    expect(bandsOn(0, [{ ...night, days: ['sun'] }])).toEqual([{ name: 'night', from: 0, to: 240 }]);
  });
});
