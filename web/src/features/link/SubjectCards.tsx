// Folded subjects: one card for all their tables, which a click unfolds.
import type { ModelDocument } from '../../api/client';
import { actions } from '../../app/shown';
import { counted } from '../../shared/format';
import type { Box } from './geometry';
import { useLink } from './store';

/** Folds a subject's tables into one card, or unfolds them. */
export function fold(subject: string): void {
  const { folded } = useLink.getState();
  actions.set({ folded: folded.includes(subject) ? folded.filter((s) => s !== subject) : [...folded, subject] });
}

export function SubjectCards({ model, subjects, inside }: { model: ModelDocument; subjects: Map<string, Box>; inside: Set<string> }) {
  return [...subjects].map(([subject, box]) => (
    <button
      key={subject}
      type="button"
      className="star-card subject"
      style={{ transform: `translate(${box.x - box.width / 2}px, ${box.y - box.height / 2}px)`, width: box.width, height: box.height }}
      title={`Unfold ${subject}`}
      onPointerDown={(e) => e.stopPropagation()}
      onClick={() => fold(subject)}
    >
      <span className="name">{subject}</span>
      <small>{counted(model.tables.filter((t) => t.subject === subject && inside.has(t.name)).length, 'table')}, folded</small>
    </button>
  ));
}
