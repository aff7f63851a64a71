// A key, typed: one column or several with commas, completed from the tables' columns.
import { useId, useMemo, useState, type KeyboardEvent } from 'react';
import type { ModelDocument } from '../../api/client';
import { quotedName } from '../../shared/format';
import { columnsIn } from './keys';

const MOST = 12;

interface Props {
  model: ModelDocument;
  label: string;
  value: string;
  onChange: (value: string) => void;
  /** Columns that the other side suggests, first in the list. */
  first?: string[];
  begins?: boolean;
}

/** The columns whose names have every word that is typed: those of the other side first, then those that begin with it. */
function useFound(model: ModelDocument, typed: string, first: string[]): string[] {
  const all = useMemo(() => model.tables.flatMap((t) => t.columns.map((c) => `${quotedName(t.name)}.${quotedName(c.name)}`)), [model]);
  return useMemo(() => {
    const words = typed.split(/[\s.]+/).filter(Boolean);
    const fits = (key: string) => words.every((w) => key.toLowerCase().includes(w));
    const begins = (key: string) => (key.toLowerCase().startsWith(typed) ? 0 : 1);
    const rest = all.filter((key) => fits(key) && !first.includes(key)).sort((a, b) => begins(a) - begins(b));
    return [...first.filter(fits), ...rest].slice(0, MOST);
    // oxlint-disable-next-line react-hooks/exhaustive-deps
  }, [all, typed, first.join()]);
}

export function KeyText({ model, label, value, onChange, first = [], begins = false }: Props) {
  const id = useId();
  const [open, setOpen] = useState(false);
  const [place, setPlace] = useState(0);
  const comma = value.lastIndexOf(',');
  const keys = useFound(
    model,
    value
      .slice(comma + 1)
      .trim()
      .toLowerCase(),
    first,
  );
  const take = (key: string | undefined) => {
    if (!key) return;
    onChange(comma < 0 ? key : `${value.slice(0, comma + 1)} ${key}`);
    setOpen(false);
  };
  const onKey = (event: KeyboardEvent) => {
    if (event.key === 'ArrowDown') {
      setOpen(true);
      setPlace(open ? Math.min(place + 1, keys.length - 1) : 0);
    } else if (event.key === 'ArrowUp') setPlace(Math.max(place - 1, 0));
    else if (event.key === 'Enter' && open && keys.length && !event.ctrlKey) take(keys[place]);
    else if (event.key === 'Escape' && open) setOpen(false);
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <div className="key-text">
      <label htmlFor={id} className="quiet">
        {label}
      </label>
      <input
        id={id}
        className="field mono"
        role="combobox"
        aria-expanded={open && keys.length > 0}
        aria-controls={`${id}-list`}
        aria-activedescendant={open && keys.length ? `${id}-${place}` : undefined}
        aria-autocomplete="list"
        autoComplete="off"
        spellCheck={false}
        data-autofocus={begins || undefined}
        placeholder="Table.column"
        value={value}
        onChange={(e) => {
          onChange(e.target.value);
          setOpen(true);
          setPlace(0);
        }}
        onFocus={() => setOpen(columnsIn(value).length === 0 || value.trim().endsWith('.'))}
        onBlur={() => setOpen(false)}
        onKeyDown={onKey}
      />
      {open && keys.length > 0 && (
        <div className="key-list-box" id={`${id}-list`} role="listbox" aria-label={label}>
          {keys.map((key, i) => (
            <button
              key={key}
              id={`${id}-${i}`}
              type="button"
              role="option"
              tabIndex={-1}
              aria-selected={i === place}
              className={i === place ? 'plain at' : 'plain'}
              onPointerDown={(e) => {
                e.preventDefault();
                take(key);
              }}
            >
              {key}
            </button>
          ))}
        </div>
      )}
    </div>
  );
}
