export const letter = 7.9; // width of a figure at the size of labels

/** Shortens a label to the room that it has, at so many units a letter; words beside
 * the drawing tell it whole. */
export function fit(label: string, room: number, wide = letter): string {
  const most = Math.max(3, Math.floor(room / wide));
  return label.length <= most ? label : `${label.slice(0, most - 1)}…`;
}
