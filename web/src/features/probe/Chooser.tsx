// A chip that opens a list to type in: what can stand at this place of the sentence.
import { Popover } from '@mantine/core';
import { useState, type KeyboardEvent } from 'react';
import { ranked } from '../../shared/rank';

export interface Choice {
  value: string;
  text: string;
  detail?: string;
}

const MOST = 80;
// The focus is in the field before the next key comes: what is typed fast is not lost to the page.
const atOnce = (node: HTMLInputElement | null) => node?.focus({ preventScroll: true });

interface Props {
  label: string;
  title: string;
  choices: Choice[];
  onChoose: (value: string) => void;
  /** What is done with a formula that is typed in place of a name. */
  onFormula?: (formula: string) => void;
}

export function Chooser({ label, title, choices, onChoose, onFormula }: Props) {
  const [open, setOpen] = useState(false);
  return (
    <Popover opened={open} onChange={setOpen} trapFocus position="bottom-start" shadow="none" width={320} transitionProps={{ duration: 0 }}>
      <span className="chip add">
        <Popover.Target>
          <button type="button" aria-label={title} title={title} onClick={() => setOpen(!open)}>
            {label}
          </button>
        </Popover.Target>
      </span>
      <Popover.Dropdown>
        {open && (
          <ChoiceList
            title={title}
            choices={choices}
            onChoose={(value) => {
              setOpen(false);
              onChoose(value);
            }}
            onFormula={
              onFormula &&
              ((formula) => {
                setOpen(false);
                onFormula(formula);
              })
            }
          />
        )}
      </Popover.Dropdown>
    </Popover>
  );
}

/** `typed` is what was typed before it opened. */
export function ChoiceList({
  title,
  choices,
  typed = '',
  onChoose,
  onFormula,
}: {
  title: string;
  choices: Choice[];
  typed?: string;
  onChoose: (value: string) => void;
  onFormula?: (formula: string) => void;
}) {
  const [text, setText] = useState(typed);
  const [place, setPlace] = useState(0);
  const items = ranked(
    choices,
    text,
    (c) => [c.text, c.value],
    (c) => c.value,
  ).slice(0, MOST);
  // What no name has, or what has brackets and signs, may be a formula.
  const formula = onFormula && text.trim() && (items.length === 0 || /[-+*/()]/.test(text)) ? text.trim() : '';
  const onKey = (event: KeyboardEvent) => {
    if (event.key === 'ArrowDown') setPlace(Math.min(place + 1, items.length - (formula ? 0 : 1)));
    else if (event.key === 'ArrowUp') setPlace(Math.max(place - 1, 0));
    else if (event.key === 'Enter' && formula && (items.length === 0 || place >= items.length)) onFormula?.(formula);
    else if (event.key === 'Enter' && items[place]) onChoose(items[place].value);
    else return;
    event.preventDefault();
  };
  return (
    <>
      <input
        className="field"
        data-autofocus
        ref={atOnce}
        aria-label={title}
        placeholder={onFormula ? `${title}, or write a formula` : title}
        value={text}
        onKeyDown={onKey}
        onChange={(e) => {
          setText(e.target.value);
          setPlace(0);
        }}
      />
      <div className="find-list" role="listbox" aria-label={title} style={{ maxHeight: 300 }}>
        {items.map((c, i) => (
          <button
            key={c.value}
            type="button"
            role="option"
            aria-selected={i === place}
            onMouseEnter={() => setPlace(i)}
            onClick={() => onChoose(c.value)}
          >
            <span>{c.text}</span>
            <span className="quiet" style={{ marginLeft: 'auto' }}>
              {c.detail}
            </span>
          </button>
        ))}
        {formula && (
          <button
            type="button"
            role="option"
            aria-selected={items.length === 0 || place >= items.length}
            onClick={() => onFormula?.(formula)}
          >
            <code className="clip">{formula}</code>
            <span className="quiet" style={{ marginLeft: 'auto' }}>
              a formula of this probe
            </span>
          </button>
        )}
        {items.length === 0 && !formula && <p className="wait">Nothing has these words.</p>}
      </div>
    </>
  );
}
