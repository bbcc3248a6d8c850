/** The first address of a prefix that a host can have: the one after the
 * network's own, or the address itself where the prefix holds no other. */
export function firstAddress(prefix: string): string {
  const [address = '', length = ''] = prefix.split('/');
  if (address.includes(':')) return Number(length) >= 127 ? address : address.endsWith('::') ? `${address}1` : address;
  if (Number(length) >= 31) return address;
  const parts = address.split('.').map(Number);
  parts[3] = (parts[3] ?? 0) + 1;
  return parts.join('.');
}
