import { expect, it } from 'vitest';
import { firstAddress } from './address';

it('names an address that stands for a network', () => {
  expect(firstAddress('198.51.100.0/25')).toBe('198.51.100.1');
  expect(firstAddress('198.51.100.128/26')).toBe('198.51.100.129');
  expect(firstAddress('203.0.113.7/32')).toBe('203.0.113.7');
  expect(firstAddress('2001:db8:51::/48')).toBe('2001:db8:51::1');
  expect(firstAddress('2001:db8::9/128')).toBe('2001:db8::9');
});
