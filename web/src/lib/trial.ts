import type { Change, Effected, Tally } from '../api/client';

/** A field of a change. */
export type Field = 'group' | 'member' | 'to' | 'user' | 'attribute' | 'field' | 'system' | 'line' | 'document' | 'part' | 'list' | 'before' | 'value';

export interface Kind {
  do: Change['do'];
  label: string;
  fields: { field: Field; label: string; optional?: boolean; hint?: string }[];
}

const group = { field: 'group', label: 'Group' } as const;
const system = { field: 'system', label: 'System' } as const;
const document = { field: 'document', label: 'Document', hint: 'a system, map, guarantees, or directory NAME' } as const;
const list = { field: 'list', label: 'List', hint: 'mappings' } as const;
const line = { field: 'line', label: 'Line', hint: 'its name, or its number' } as const;
const part = { field: 'part', label: 'Part', hint: 'its name, or its number' } as const;
const before = { field: 'before', label: 'Before', optional: true, hint: 'its name, or its number; empty: last' } as const;
const value = { field: 'value', label: 'Value', hint: '{"groups": ["night-crew"], …}' } as const;

const onOff = { field: 'value', label: 'To', hint: 'on or off' } as const;

/** The changes that the form stages. */
export const kinds: Kind[] = [
  { do: 'join', label: 'Add a member to a group', fields: [group, { field: 'member', label: 'Member' }] },
  { do: 'leave', label: 'Remove a member from a group', fields: [group, { field: 'member', label: 'Member' }] },
  { do: 'set-user', label: 'Set an attribute of a user', fields: [{ field: 'user', label: 'User' }, { field: 'attribute', label: 'Attribute' }, { ...value, optional: true, hint: 'empty: remove it' }] },
  { do: 'create-user', label: 'Create a user', fields: [{ field: 'user', label: 'User', hint: 'directory/name' }, { field: 'to', label: 'Below', optional: true, hint: 'ou=people,dc=cindervale,dc=example' }, { ...value, optional: true, hint: '{"title": "Observer", …}' }] },
  { do: 'move-user', label: 'Move an account', fields: [{ field: 'user', label: 'User' }, { field: 'to', label: 'Below', hint: 'ou=base,ou=people,dc=cindervale,dc=example' }] },
  { do: 'switch-user', label: 'Switch an account on or off', fields: [{ field: 'user', label: 'User' }, onOff] },
  { do: 'set-group', label: 'Set a field of a group', fields: [group, { field: 'field', label: 'Field', hint: 'description, kind, rule, usable_in …' }, { ...value, optional: true, hint: 'empty: remove it' }] },
  { do: 'create-group', label: 'Create a group', fields: [{ ...group, hint: 'directory/name' }] },
  { do: 'rename-group', label: 'Rename a group', fields: [group, { field: 'to', label: 'New name' }] },
  { do: 'remove-group', label: 'Remove a group', fields: [group] },
  { do: 'add-line', label: 'Add a line', fields: [system, list, value, before] },
  { do: 'change-line', label: 'Change a line', fields: [system, list, line, value] },
  { do: 'move-line', label: 'Move a line', fields: [system, list, line, before] },
  { do: 'remove-line', label: 'Remove a line', fields: [system, list, line] },
  { do: 'switch-line', label: 'Switch a line on or off', fields: [system, list, line, onOff] },
  { do: 'add-part', label: 'Add another part', fields: [document, list, { ...part, optional: true, hint: 'the key, of a set of keys' }, value] },
  { do: 'change-part', label: 'Change another part', fields: [document, list, part, value] },
  { do: 'move-part', label: 'Move another part', fields: [document, list, part, before] },
  { do: 'remove-part', label: 'Remove another part', fields: [document, list, part] },
  { do: 'switch-part', label: 'Switch another part on or off', fields: [document, list, part, onOff] },
];

/** The change that a form describes. A value that is no JSON is a piece of text. */
export function changeOf(kind: Kind, values: Partial<Record<Field, string>>): Change {
  const change: Record<string, unknown> = { do: kind.do };
  for (const { field } of kind.fields) {
    const text = values[field]?.trim() ?? '';
    if (text === '') continue;
    change[field] = field === 'value' ? read(text) : text;
  }
  return change as unknown as Change;
}

function read(text: string): unknown {
  try {
    return JSON.parse(text) as unknown;
  } catch {
    if (/^[[{]/.test(text)) throw new Error('The value begins like JSON, but is not JSON.');
    return text;
  }
}

export const effectSign: Record<Effected['effect'], string> = { gain: '+', loss: '−', change: '~', reroute: '=' };

/** How an entitlement stands, with what shuts it. */
export function stateAndReason(e: Effected['before']): string {
  if (!e) return 'none';
  return e.state + e.shut_by.slice(0, 1).map((s) => `, ${s.reason} ${s.at}`).join('');
}

/** A number of things: "1 loss", "3 losses". */
export function counted(n: number, one: 'gain' | 'loss' | 'person' | 'further piece'): string {
  const many = { gain: 'gains', loss: 'losses', person: 'people', 'further piece': 'further pieces' }[one];
  return `${n} ${n === 1 ? one : many}`;
}

/** Effects in words. */
export function tally(t: Tally): string {
  const parts = (
    [
      [t.gains, 'gain', 'gains'],
      [t.losses, 'loss', 'losses'],
      [t.changes, 'change', 'changes'],
      [t.reroutes, 'other route', 'other routes'],
    ] as const
  ).flatMap(([n, one, many]) => (n === 0 ? [] : [`${n} ${n === 1 ? one : many}`]));
  return parts.join(', ') || 'Nobody gains or loses anything';
}
