// What every picture is drawn with: the hatching of what no filter reaches, and a category that can be picked.
import type { ReactNode } from 'react';
import type { Category } from './series';

export function Hatch({ id }: { id: string }) {
  return (
    <defs>
      <pattern id={id} width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
        <path d="M0 0V6" className="hatch" />
      </pattern>
    </defs>
  );
}

interface Props {
  category: Category;
  chosen: Set<string>;
  onPick: (category: Category) => void;
  children: ReactNode;
  transform?: string;
  /** Left out of the order of keys, where many small pictures stand together. */
  quiet?: boolean;
}

/** The name of a category, which picks it by mouse and by keys. */
export function PickedCategory({ category, chosen, onPick, children, transform, quiet = false }: Props) {
  return (
    <g
      role="button"
      tabIndex={quiet ? -1 : 0}
      aria-label={`Pick ${category.text}`}
      aria-pressed={chosen.has(category.key)}
      className="category"
      transform={transform}
      onClick={() => onPick(category)}
      onKeyDown={(e) => (e.key === 'Enter' || e.key === ' ') && (e.preventDefault(), onPick(category))}
    >
      {children}
    </g>
  );
}
