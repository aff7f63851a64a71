// A condition on the page, of a probe or of a folio: a chip that is typed into as in a formula.
import { useState, type ReactNode } from 'react';
import type { ModelDocument } from '../../api/client';
import { quotedName } from '../../shared/format';

/** A condition that could stand in this model: over its calendar, else over some text column. */
function example(model: ModelDocument): string {
  const calendar = model.tables.find((t) => t.calendar);
  if (calendar) return `${quotedName(calendar.name)}.${quotedName(calendar.calendar ?? '')} >= DATE '2032-01-01'`;
  const table = model.tables.find((t) => t.columns.some((c) => c.dtype === 'text'));
  const column = table?.columns.find((c) => c.dtype === 'text');
  return table && column ? `${quotedName(table.name)}.${quotedName(column.name)} LIKE 'a%'` : '';
}

export function Where({
  model,
  text: said,
  title = 'A condition over one table',
  example: shown,
  onSay,
  children,
}: {
  model: ModelDocument;
  text: string;
  title?: string;
  example?: string;
  onSay: (where: string) => void;
  children: ReactNode;
}) {
  const [text, setText] = useState<string | null>(null);
  if (text === null)
    return (
      <button type="button" onClick={() => setText(said)}>
        {children}
      </button>
    );
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        if (text.trim()) onSay(text.trim());
        setText(null);
      }}
    >
      <input
        className="field mono"
        style={{ width: 320 }}
        // Opened to be typed into.
        ref={(node) => node?.focus()}
        aria-label={title}
        placeholder={shown ?? example(model)}
        value={text}
        onChange={(e) => setText(e.target.value)}
        onKeyDown={(e) => e.key === 'Escape' && setText(null)}
      />
    </form>
  );
}
