/** A range of addresses: both ends count. */
export interface Range {
  six: boolean;
  from: bigint;
  to: bigint;
}

function number(address: string): { six: boolean; value: bigint } | null {
  if (/^\d+(\.\d+){3}$/.test(address)) {
    const parts = address.split('.').map(Number);
    if (parts.some((p) => p > 255)) return null;
    return { six: false, value: parts.reduce((n, p) => n * 256n + BigInt(p), 0n) };
  }
  if (!/^[0-9a-f:]+$/i.test(address) || !address.includes(':')) return null;
  const halves = address.split('::');
  if (halves.length > 2) return null;
  const words = (half: string | undefined) => (half ? half.split(':') : []);
  const [head, tail] = [words(halves[0]), words(halves[1])];
  const gap = 8 - head.length - tail.length;
  if (halves.length === 1 ? gap !== 0 : gap < 1) return null;
  const all = [...head, ...Array<string>(halves.length === 1 ? 0 : gap).fill('0'), ...tail];
  if (all.some((w) => !/^[0-9a-f]{1,4}$/i.test(w))) return null;
  return { six: true, value: all.reduce((n, w) => n * 65536n + BigInt(parseInt(w, 16)), 0n) };
}

/** Reads an address or a prefix (RFC 4632, RFC 4291); null where it is neither. */
export function readRange(text: string): Range | null {
  const [address = '', length] = text.trim().split('/');
  const n = number(address);
  if (!n) return null;
  const bits = n.six ? 128 : 32;
  const kept = length === undefined ? bits : /^\d{1,3}$/.test(length) ? Number(length) : -1;
  if (kept < 0 || kept > bits) return null;
  const free = BigInt(bits - kept);
  const from = (n.value >> free) << free;
  return { six: n.six, from, to: from + (1n << free) - 1n };
}

/** What a range covers, in words: how many addresses, and which named ranges. */
export function coverWords(text: string, named: readonly { name: string; ranges: readonly string[] }[]): string {
  const range = readRange(text);
  if (!range) return '';
  const size = range.to - range.from + 1n;
  const many = size > 1n << 32n ? `2^${size.toString(2).length - 1} addresses` : `${size} ${size === 1n ? 'address' : 'addresses'}`;
  const whole: string[] = [];
  const part: string[] = [];
  for (const n of named) {
    const ranges = n.ranges.map(readRange).filter((r): r is Range => r !== null && r.six === range.six);
    if (ranges.length > 0 && ranges.length === n.ranges.length && ranges.every((r) => r.from >= range.from && r.to <= range.to)) whole.push(n.name);
    else if (ranges.some((r) => r.from <= range.to && r.to >= range.from)) part.push(n.name);
  }
  return [many, whole.length ? `all of ${whole.join(', ')}` : '', part.length ? `part of ${part.join(', ')}` : ''].filter(Boolean).join('; ');
}

/** Which of some texts a pattern matches; * stands for any run of characters. */
export function matches(pattern: string, all: readonly string[]): string[] {
  const rule = new RegExp(`^${pattern.split('*').map((p) => p.replaceAll(/[.+?^${}()|[\]\\]/g, '\\$&')).join('.*')}$`);
  return all.filter((x) => rule.test(x));
}
