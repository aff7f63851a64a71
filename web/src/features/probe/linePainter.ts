// Draws the lines of a grid that rests straight into the page: lines that leave it are written anew for those that come. While it
// moves it is drawn by MotionPainter.
import type { GridAnswer, Look, TruthMark } from '../../api/client';
import { lineKey, type ShownLine } from './axes';
import { cellLook, labelLook } from './cellLook';
import type { CellColumn, Range } from './gridState';

export const LINE = 30;

/** All that the lines are drawn from; a new object means that everything may have changed. */
export interface View {
  answer: GridAnswer;
  rows: ShownLine[];
  columns: CellColumn[];
  /** Where each column begins, and where the last one ends. */
  offsets: number[];
  head: number;
  look: Look;
  marks: Map<string, TruthMark[]>;
  failures: Map<string, { error: string; message: string }>;
  /** The checks that hold a cell, by measure and places. */
  held: Map<string, string[]>;
  range: Map<string, Range> | null;
  folded: Set<string>;
  /** Totals that have an unmatched member among their lines. */
  holding: Set<string>;
  still: boolean;
  chosen: CellKey | null;
  second: CellKey | null;
  /** The cell that takes the focus. */
  active: [number, number];
}

/** A cell by its line, its measure and its place across. */
export interface CellKey {
  line: string;
  column: number;
}

export interface Span {
  first: number;
  last: number;
  from: number;
  to: number;
}

interface Drawn {
  element: HTMLTableRowElement;
  row: number;
  view: View | null;
  from: number;
  to: number;
}

export class LinePainter {
  private pool: Drawn[] = [];
  constructor(
    private readonly body: HTMLTableSectionElement,
    private readonly pins = false,
  ) {}

  paint(view: View, span: Span): void {
    const width = view.head + (view.offsets.at(-1) ?? 0);
    const size = Math.max(0, span.last - span.first + 1);
    while (this.pool.length < size) {
      const element = document.createElement('tr');
      element.setAttribute('role', 'row');
      this.body.append(element);
      this.pool.push({ element, row: -1, view: null, from: -1, to: -1 });
    }
    while (this.pool.length > size) this.pool.pop()?.element.remove();
    // A line keeps its element as long as it is in sight. The others are taken in the order they stand in: where every line is another one,
    // none has to move.
    const free: Drawn[] = [];
    const kept = new Map<number, Drawn>();
    const taken = new Map<number, Drawn>();
    for (const drawn of this.pool) {
      if (drawn.row >= span.first && drawn.row <= span.last && !kept.has(drawn.row)) kept.set(drawn.row, drawn);
      else free.push(drawn);
    }
    free.reverse();
    for (let row = span.first; row <= span.last; row += 1) {
      const line = view.rows[row];
      const drawn = kept.get(row) ?? free.pop();
      if (!line || !drawn) continue;
      if (drawn.row === row && drawn.view === view && drawn.from === span.from && drawn.to === span.to) continue;
      this.fill(drawn, view, line, row, span, width);
      if (!kept.has(row)) taken.set(row, drawn);
      Object.assign(drawn, { row, view, from: span.from, to: span.to });
    }
    // The lines stand one under the other, and those above them leave their room: a place for each line would have each styled anew.
    if (!this.pins) this.body.style.paddingTop = `${span.first * LINE}px`;
    this.order(span, kept, taken);
    this.pool.sort((a, b) => a.row - b.row);
  }

  /** Lines written anew go where they belong among the others, that they are read in the order they are seen in; the others stay. */
  private order(span: Span, kept: Map<number, Drawn>, taken: Map<number, Drawn>): void {
    let next: HTMLTableRowElement | null = null;
    for (let row = span.last; row >= span.first; row -= 1) {
      const element: HTMLTableRowElement | undefined = (taken.get(row) ?? kept.get(row))?.element;
      if (!element) continue;
      if (taken.has(row) && element.nextElementSibling !== next) {
        const focused = element.contains(document.activeElement);
        this.body.insertBefore(element, next);
        if (focused) listening(this.body);
      }
      next = element;
    }
  }

  private fill(drawn: Drawn, view: View, line: ShownLine, row: number, span: Span, width: number): void {
    const tr = drawn.element;
    const same = drawn.row === row && drawn.view === view;
    const classes = [line.isTotal ? 'total' : '', line.isGrand ? 'grand' : '', this.pins ? 'pinned' : ''].filter(Boolean).join(' ');
    if (tr.className !== classes) tr.className = classes;
    if (tr.style.width !== `${width}px`) tr.style.width = `${width}px`;
    if (!same) {
      tr.ariaRowIndex = String(row + 2);
      tr.dataset.row = String(row);
      if (this.pins) tr.dataset.pin = '1';
    }
    const count = span.to - span.from + 1;
    if (same) turn(tr, span.from - drawn.from);
    while (tr.cells.length < count + 1) {
      const cell = document.createElement(tr.cells.length === 0 ? 'th' : 'td');
      cell.setAttribute('role', tr.cells.length === 0 ? 'rowheader' : 'gridcell');
      if (tr.cells.length === 0) cell.className = 'line';
      else {
        const made = document.createElement('button');
        made.type = 'button';
        made.tabIndex = -1;
        cell.append(made);
      }
      tr.append(cell);
    }
    while (tr.cells.length > count + 1) tr.lastElementChild?.remove();
    if (!same) this.label(tr.cells[0] as HTMLTableCellElement, view, line, row);
    const key = view.chosen || view.second ? lineKey(line) : '';
    let td = tr.cells[0]?.nextElementSibling as HTMLTableCellElement | null;
    for (let index = span.from; td && index <= span.to; index += 1) {
      const stays = same && index >= drawn.from && index <= drawn.to && (td.firstElementChild as HTMLElement).dataset.col === String(index);
      if (!stays) this.cell(td, view, line, row, index, key);
      // The columns before those in sight leave their room.
      const room = index === span.from ? `${view.offsets[index] ?? 0}px` : '';
      if (td.style.marginLeft !== room) td.style.marginLeft = room;
      td = td.nextElementSibling as HTMLTableCellElement | null;
    }
  }

  private label(th: HTMLTableCellElement, view: View, line: ShownLine, row: number): void {
    const { answer, still } = view;
    const key = line.isTotal ? lineKey(line) : '';
    const { text, indent, fold, unmatched } = labelLook(view, line, key, this.pins);
    const [width, padding] = [`${view.head}px`, `${indent}px`];
    if (th.style.width !== width) th.style.width = width;
    if (th.style.paddingLeft !== padding) th.style.paddingLeft = padding;
    // Most lines are a name alone, and follow one: it is written over.
    const only = th.firstElementChild?.childElementCount === 1 ? (th.firstElementChild.firstElementChild as HTMLElement) : null;
    if (!still && !this.pins && !fold && !unmatched && answer.rows.columns.length > 0 && only?.dataset.menu) {
      put(only, text);
      only.dataset.menu = String(row);
      return;
    }
    const parts: HTMLElement[] = [];
    if (fold) {
      const made = button('fold', fold, `${fold === '▸' ? 'Unfold' : 'Fold'} ${line.label}`);
      made.dataset.fold = key;
      made.setAttribute('aria-expanded', String(fold === '▾'));
      parts.push(made);
    }
    if (answer.rows.columns.length > 0) {
      if (still) parts.push(words('', text));
      else {
        const label = button('plain clip', text);
        label.dataset.menu = String(row);
        if (this.pins) label.dataset.pin = '1';
        label.title = 'Drill, pick, pin';
        parts.push(label);
      }
    }
    if (unmatched) {
      const sentence = answer.unmatched[0]?.sentence ?? '';
      const mark = button('truth-mark', '⊘', `Unmatched: ${sentence}`);
      mark.dataset.mark = 'unmatched';
      mark.title = sentence;
      parts.push(mark);
    }
    const box = document.createElement('span');
    box.className = 'line-label';
    box.append(...parts);
    th.replaceChildren(box);
  }

  private cell(td: HTMLTableCellElement, view: View, line: ShownLine, row: number, index: number, key: string): void {
    const column = view.columns[index];
    const shown = cellLook(view, line, index, key);
    if (!column || !shown) return;
    const classes = [
      shown.chosen ? 'chosen' : '',
      shown.second ? 'second' : '',
      column.first && view.answer.columns.columns.length > 0 ? 'group-start' : '',
      column.hatch,
      shown.overridden.length ? 'overridden' : '',
      shown.apart ? 'apart' : '',
      shown.held ? 'held' : '',
      shown.shade !== null ? 'shaded' : '',
    ]
      .filter(Boolean)
      .join(' ');
    // What stands as it should is left alone: every change has to be laid out.
    if (td.className !== classes) td.className = classes;
    const target = td.firstElementChild as HTMLButtonElement;
    if (target.dataset.col !== String(index) || td.style.width !== `${column.width}px`) {
      target.dataset.col = String(index);
      td.style.width = `${column.width}px`;
    }
    if (view.range || td.style.background || td.style.boxShadow) {
      td.style.background = shown.shade === null ? '' : `color-mix(in srgb, var(--shade) ${Math.round(shown.shade * 46)}%, transparent)`;
      td.style.boxShadow = shown.bar === null ? '' : `inset ${Math.round(shown.bar * (column.width - 6))}px 0 0 var(--measure-soft)`;
    }
    const stop = !this.pins && view.active[0] === row && view.active[1] === index ? 0 : -1;
    if (target.tabIndex !== stop) target.tabIndex = stop;
    if (shown.chosen || target.ariaPressed) target.ariaPressed = shown.chosen ? 'true' : null;
    if (target.title !== shown.title) target.title = shown.title;
    // Said by its name, for words that nobody sees have to be laid out as well.
    const name = shown.empty ? 'empty' : null;
    if (target.ariaLabel !== name) target.ariaLabel = name;
    if (!shown.apart && !shown.uneven && !shown.failed) {
      put(target, shown.text);
      return;
    }
    const pieces: (Node | string)[] = [];
    if (shown.apart) pieces.push(words('parts', '', 'parts do not add up'));
    if (shown.uneven) pieces.push(words('uneven-mark', '≠', 'the periods compared are not alike'));
    pieces.push(shown.failed ? words('signal', shown.text) : shown.text);
    target.replaceChildren(...pieces);
  }
}

/** A line's cells that leave on one side go to the other: the rest keep their columns, and what they say. */
function turn(tr: HTMLTableRowElement, by: number): void {
  const last = tr.cells.length - 1;
  if (by === 0 || Math.abs(by) >= last) return;
  const focused = tr.contains(document.activeElement) ? document.activeElement : null;
  for (let i = 0; i < by; i += 1) tr.append(tr.cells[1] as HTMLTableCellElement);
  for (let i = 0; i < -by; i += 1) tr.insertBefore(tr.cells[last] as HTMLTableCellElement, tr.cells[1] ?? null);
  if (focused !== document.activeElement) listening(tr);
}

/** A line or a cell that is moved loses the focus; the place it is scrolled in hears the next key. */
function listening(element: HTMLElement): void {
  element.closest<HTMLElement>('.grid-scroll')?.focus({ preventScroll: true });
}

/** Writes a text over the one that stands there: a new one would be laid out from the beginning. */
function put(element: HTMLElement, text: string): void {
  const node = element.firstChild;
  if (!node || node.nextSibling || node.nodeType !== Node.TEXT_NODE) element.textContent = text;
  else if (node.nodeValue !== text) node.nodeValue = text;
}

function button(className: string, text: string, label = ''): HTMLButtonElement {
  const made = document.createElement('button');
  made.type = 'button';
  made.className = className;
  made.textContent = text;
  made.tabIndex = -1;
  if (label) made.setAttribute('aria-label', label);
  return made;
}

function words(className: string, text: string, label = ''): HTMLSpanElement {
  const made = document.createElement('span');
  made.className = className;
  made.textContent = text;
  if (label) {
    made.setAttribute('role', 'img');
    made.setAttribute('aria-label', label);
  }
  return made;
}
