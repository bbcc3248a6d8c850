import { describe, expect, it } from 'vitest';
import { asked, charted } from './charted';

const small = { users: 60, systems: 12 };
const large = { users: 300_000, systems: 200 };
const at = (text: string) => {
  const query = new URLSearchParams(text);
  return (key: string) => query.get(key) ?? '';
};

describe('charted', () => {
  it('draws a small map by group', () => expect(asked(charted(at(''), small))).toEqual({ by: 'group' }));
  it('sums a large map up', () => expect(asked(charted(at(''), large))).toEqual({ by: 'department', types: 'true' }));
  it('does as the address says', () => expect(asked(charted(at('by=directory&types=true'), small))).toEqual({ by: 'directory', types: 'true' }));
  it('tells systems apart where one type is entered', () => expect(asked(charted(at('type=roles'), large))).toEqual({ by: 'department', type: 'roles' }));
  it('draws what is entered by group', () => expect(asked(charted(at('system=archive&by=department'), large))).toEqual({ by: 'group', system: 'archive' }));
});
