/** Dated notes on charts: which bear on what is drawn, and at which step each stands. */
import type { NoteOut } from './api';

export interface Step {
  start: string;
  end: string;
}

/** Keeps the notes of the site, its client and the agency, and of those on one page the ones on the page drawn. */
export const bearing = (notes: readonly NoteOut[] | undefined, page?: string): readonly NoteOut[] =>
  (notes ?? []).filter((note) => !note.page || note.page === page);

/** Puts each note at the first step that has one of its days; by the step's first day. */
export function byStep(points: readonly Step[], notes: readonly NoteOut[]): ReadonlyMap<string, readonly NoteOut[]> {
  const found = new Map<string, NoteOut[]>();
  for (const note of notes) {
    const step = points.find((point) => note.first <= point.end && note.last >= point.start);
    if (step) found.set(step.start, [...(found.get(step.start) ?? []), note]);
  }
  return found;
}
