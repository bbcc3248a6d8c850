import { describe, expect, test } from 'vitest';
import { coverWords, matches, readRange } from './ranges';

describe('ranges of addresses', () => {
  test.each(['', 'dome', '192.0.2', '192.0.2.256', '192.0.2.0/33', '192.0.2.0/-1', '2001:db8', '2001:db8:::1', '1::2::3', '2001:db8::/129', '12345::'])('%s is none', (text) => {
    expect(readRange(text)).toBeNull();
  });
  test('an address is a range of one, bits past the prefix do not count', () => {
    expect(readRange('192.0.2.7')).toEqual({ six: false, from: 3221225991n, to: 3221225991n });
    expect(readRange('192.0.2.7/28')).toEqual(readRange('192.0.2.0/28'));
    expect(readRange('2001:db8::1')).toEqual({ six: true, from: (0x20010db8n << 96n) + 1n, to: (0x20010db8n << 96n) + 1n });
  });
  test('what a range covers', () => {
    const named = [
      { name: 'dome', ranges: ['192.0.2.0/28'] },
      { name: 'control', ranges: ['192.0.2.0/24'] },
      { name: 'both', ranges: ['192.0.2.0/28', '2001:db8::/64'] },
      { name: 'office', ranges: ['203.0.113.0/24'] },
    ];
    expect(coverWords('192.0.2.0/27', named)).toBe('32 addresses; all of dome; part of control, both');
    expect(coverWords('2001:db8::/64', [])).toBe('2^64 addresses');
    expect(coverWords('nonsense', named)).toBe('');
  });
  test('patterns match from end to end', () => {
    expect(matches('frames:*', ['frames:read', 'frames', 'my frames:read'])).toEqual(['frames:read']);
    expect(matches('/opt/dome (x)', ['/opt/dome (x)'])).toHaveLength(1);
  });
});
