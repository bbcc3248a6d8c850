import type { Change, Effected, Tally } from '../api/client';

/** A field of a change. */
export type Field = 'group' | 'member' | 'to' | 'user' | 'attribute' | 'field' | 'document' | 'list' | 'entry' | 'before' | 'value';

export interface Kind {
  do: Change['do'];
  label: string;
  fields: { field: Field; label: string; optional?: boolean; hint?: string }[];
}

const group = { field: 'group', label: 'Group' } as const;
const document = { field: 'document', label: 'System or document' } as const;
const list = { field: 'list', label: 'List', hint: 'mappings' } as const;
const entry = { field: 'entry', label: 'Entry', hint: 'its name, or its number' } as const;
const before = { field: 'before', label: 'Before', optional: true, hint: 'an entry; empty: last' } as const;
const value = { field: 'value', label: 'Value', hint: '{"groups": ["night-crew"], …}' } as const;

/** The changes that the form stages. */
export const kinds: Kind[] = [
  { do: 'join', label: 'Add a member to a group', fields: [group, { field: 'member', label: 'Member' }] },
  { do: 'leave', label: 'Take a member out of a group', fields: [group, { field: 'member', label: 'Member' }] },
  { do: 'set-user', label: 'Set an attribute of a user', fields: [{ field: 'user', label: 'User' }, { field: 'attribute', label: 'Attribute' }, { ...value, optional: true, hint: 'empty: take it away' }] },
  { do: 'set-group', label: 'Describe a group, or change its kind, rule or reach', fields: [group, { field: 'field', label: 'Field', hint: 'description' }, { ...value, optional: true, hint: 'empty: take it away' }] },
  { do: 'create-group', label: 'Create a group', fields: [{ ...group, hint: 'directory/name' }] },
  { do: 'rename-group', label: 'Rename a group', fields: [group, { field: 'to', label: 'New name' }] },
  { do: 'add-entry', label: 'Add a line', fields: [document, list, value, before] },
  { do: 'change-entry', label: 'Change a line', fields: [document, list, entry, value] },
  { do: 'move-entry', label: 'Move a line', fields: [document, list, entry, before] },
  { do: 'drop-entry', label: 'Remove a line', fields: [document, list, entry] },
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
    if (/^[[{]/.test(text)) throw new Error('The value begins like JSON, but is none.');
    return text;
  }
}

export const effectSign: Record<Effected['effect'], string> = { gain: '+', loss: '−', change: '~', reroute: '=' };

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
