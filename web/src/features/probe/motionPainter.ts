// Draws the grid while it moves, as a picture over its lines. A hundred lines a second that each have other texts cannot be laid out as
// elements at the speed of a screen; drawn on a canvas they cost a few milliseconds a frame. What is drawn is what the elements show, so
// that nothing jumps when the grid rests and they are drawn again.
import { lineKey, type ShownLine } from './axes';
import { cellLook, labelLook, type CellLook } from './cellLook';
import type { CellColumn } from './gridState';
import { LINE, type View } from './linePainter';

/** What is in sight, in pixels of the grid. */
export interface Sight {
  top: number;
  left: number;
  width: number;
  height: number;
  /** Where its lines begin, under headings and pinned lines. */
  above: number;
  /** Where its labels begin. */
  edge: number;
}

const NAMES = [
  'paper',
  'ink',
  'soft',
  'line',
  'signal',
  'signal-soft',
  'measure',
  'measure-soft',
  'hatch',
  'shade',
  'raised',
  'fact',
] as const;
type Colours = Record<(typeof NAMES)[number], string>;

const PAD = 10;
const FOLD = 21; // from where a label would stand to where it stands behind the sign that folds its parts
const MARK = 24;
const CORNER = 5; // of a mark
const SMALL = '11px'; // letters of marks and signs
const HATCH = Math.SQRT2;
const HELD = 6; // from the corner of a cell to the middle of the dot that says that a check holds it

export class MotionPainter {
  private readonly canvas = document.createElement('canvas');
  private readonly at: CanvasRenderingContext2D | null;
  private colours: Colours | null = null;
  private family = '';
  private baseline = 0;

  constructor(private readonly place: HTMLElement) {
    this.at = this.canvas.getContext('2d', { alpha: false });
    this.canvas.hidden = true;
    place.append(this.canvas);
  }

  get moving(): boolean {
    return !this.canvas.hidden;
  }

  hide(): void {
    this.canvas.hidden = true;
    this.colours = null;
  }

  /** Draws all that is in sight; whether it could. */
  draw(view: View, sight: Sight): boolean {
    const { at } = this;
    const height = Math.min(sight.height - sight.above, view.rows.length * LINE - sight.top);
    if (!at || height <= 0) return false;
    this.size(sight, height);
    const colours = (this.colours ??= this.read(at));
    at.fillStyle = colours.paper;
    at.fillRect(0, 0, sight.width, height);
    const first = Math.max(0, Math.floor(sight.top / LINE));
    for (let row = first; row * LINE < sight.top + height; row += 1) {
      const line = view.rows[row];
      if (line) this.line(at, colours, view, line, sight, row * LINE - sight.top);
    }
    return true;
  }

  /** As many points as the screen has, and no higher than there are lines. */
  private size(sight: Sight, height: number): void {
    const { canvas } = this;
    const dots = window.devicePixelRatio || 1;
    const [wide, high] = [Math.round(sight.width * dots), Math.round((sight.height - sight.above) * dots)];
    if (canvas.width !== wide || canvas.height !== high) {
      Object.assign(canvas, { width: wide, height: high });
      Object.assign(canvas.style, { width: `${sight.width}px`, height: `${sight.height - sight.above}px` });
      this.at?.setTransform(dots, 0, 0, dots, 0, 0);
    }
    const cut = height < sight.height - sight.above ? `inset(0 0 ${sight.height - sight.above - height}px 0)` : '';
    if (canvas.style.clipPath !== cut) canvas.style.clipPath = cut;
    const top = `${sight.above}px`;
    if (this.place.style.top !== top) this.place.style.top = top;
    if (canvas.hidden) canvas.hidden = false;
  }

  /** Colours and letters as the page has them now: read when a movement begins. */
  private read(at: CanvasRenderingContext2D): Colours {
    const style = getComputedStyle(this.canvas);
    this.family = `${style.fontSize} ${style.fontFamily}`;
    at.font = `400 ${this.family}`;
    at.textBaseline = 'alphabetic';
    const { fontBoundingBoxAscent: up, fontBoundingBoxDescent: down } = at.measureText('0');
    this.baseline = Math.floor((LINE - 1) / 2 + (up - down) / 2);
    return Object.fromEntries(NAMES.map((name) => [name, style.getPropertyValue(`--${name}`)])) as Colours;
  }

  private line(at: CanvasRenderingContext2D, colours: Colours, view: View, line: ShownLine, sight: Sight, y: number): void {
    const start = sight.edge + view.head;
    const down = line.isGrand ? 1 : 0; // under the line over the whole
    const key = line.isTotal || view.chosen || view.second ? lineKey(line) : '';
    at.font = `${line.isTotal ? 640 : 400} ${this.family}`;
    at.textAlign = 'right';
    const all = view.offsets.at(-1) ?? 0;
    for (let index = firstColumn(view.offsets, sight.left); index < view.columns.length; index += 1) {
      const x = start + (view.offsets[index] ?? 0) - sight.left;
      const column = view.columns[index];
      if (!column || x >= sight.width) break;
      const shown = cellLook(view, line, index, key);
      if (shown) this.cell(at, colours, shown, column, view, x, y, down);
    }
    at.fillStyle = colours.paper;
    at.fillRect(0, y, start, LINE);
    this.label(at, colours, view, line, sight, key, y + down);
    at.fillStyle = colours.line;
    at.fillRect(sight.edge, y + LINE - 1, Math.min(sight.width, start + all - sight.left) - sight.edge, 1);
    if (line.isGrand) {
      at.fillStyle = colours.ink;
      at.fillRect(sight.edge, y, Math.min(sight.width, start + all - sight.left) - sight.edge, 1);
    }
  }

  private cell(
    at: CanvasRenderingContext2D,
    colours: Colours,
    shown: CellLook,
    column: CellColumn,
    view: View,
    x: number,
    y: number,
    down: number,
  ): void {
    const { width, hatch } = column;
    const base = y + this.baseline + down;
    if (shown.shade !== null) this.tinted(at, colours.shade, shown.shade * 0.46, x, y, width);
    if (shown.bar !== null) this.tinted(at, colours['measure-soft'], 1, x, y, Math.round(shown.bar * (width - 6)));
    if (hatch) this.hatched(at, colours.hatch, hatch === 'hatched' ? 6 : 14, x, y, width);
    if (column.first && view.answer.columns.columns.length > 0) {
      at.fillStyle = colours.line;
      at.fillRect(x, y, 1, LINE);
    }
    if (shown.chosen) this.tinted(at, colours['signal-soft'], 1, x, y, width);
    if (shown.chosen || shown.second) {
      at.strokeStyle = shown.chosen ? colours.signal : colours.measure;
      at.lineWidth = 2;
      at.setLineDash(shown.second && !shown.chosen ? [4, 3] : []);
      at.strokeRect(x + 1, y + 1, width - 2, LINE - 3);
    }
    if (shown.held) {
      at.fillStyle = colours.fact;
      at.beginPath();
      at.arc(x + HELD + (column.first && view.answer.columns.columns.length > 0 ? 1 : 0), y + LINE - 1 - HELD, 2, 0, 2 * Math.PI);
      at.fill();
    }
    if (!shown.text) return;
    const right = x + width - PAD;
    const text = fitted(at, shown.text, width - 2 * PAD);
    if (hatch) {
      at.lineWidth = 3;
      at.setLineDash([]);
      at.strokeStyle = colours.paper;
      at.strokeText(text, right, base);
    }
    at.fillStyle = shown.failed ? colours.signal : hatch === 'hatched' ? colours.soft : colours.ink;
    at.fillText(text, right, base);
    if (shown.overridden.length > 0 || shown.apart || shown.uneven)
      this.signs(at, colours, shown, right - at.measureText(text).width, base);
  }

  /** The signs before a number, from the right to the left. */
  private signs(at: CanvasRenderingContext2D, colours: Colours, shown: CellLook, right: number, base: number): void {
    let x = right;
    if (shown.uneven) {
      const { font } = at;
      at.font = font.replace(/[\d.]+px/, SMALL);
      at.fillStyle = colours.signal;
      at.fillText('≠', x - 5, base);
      x -= 5 + at.measureText('≠').width;
      at.font = font;
    }
    if (shown.apart) {
      at.fillStyle = colours.signal;
      const [left, top] = [x - 18, base - 8];
      for (const [dx, dy, wide] of [
        [0, 0, 10],
        [0, 5.5, 5],
        [7, 5.5, 6],
      ] as const)
        at.fillRect(left + dx, top + dy, wide, 2.5);
      x -= 18;
    }
    if (shown.overridden.length > 0) {
      at.fillStyle = colours.measure;
      at.fillText('↷', x - 6, base);
    }
  }

  private label(at: CanvasRenderingContext2D, colours: Colours, view: View, line: ShownLine, sight: Sight, key: string, y: number): void {
    const { text, indent, fold, unmatched } = labelLook(view, line, key);
    let x = sight.edge + indent;
    const base = y + this.baseline - 1;
    at.textAlign = 'left';
    if (fold) {
      at.fillStyle = colours.soft;
      at.textAlign = 'center';
      at.fillText(fold, x + FOLD - MARK / 2 - 2, base);
      at.textAlign = 'left';
      x += FOLD;
    }
    const room = sight.edge + view.head - PAD - x - (unmatched ? MARK + 2 : 0);
    const clipped = fitted(at, text, room);
    at.fillStyle = colours.ink;
    at.fillText(clipped, x, base);
    if (!unmatched) return;
    const left = x + at.measureText(clipped).width + 2;
    at.beginPath();
    at.roundRect(left + 0.5, y + 2.5, MARK - 1, MARK - 1, CORNER - 0.5);
    at.fillStyle = colours.raised;
    at.fill();
    at.setLineDash([]);
    at.lineWidth = 1;
    at.strokeStyle = colours.line;
    at.stroke();
    const { font } = at;
    at.font = `400 ${this.family.replace(/[\d.]+px/, SMALL)}`;
    const { fontBoundingBoxAscent: up, fontBoundingBoxDescent: down } = at.measureText('⊘');
    at.fillStyle = colours.signal;
    at.textAlign = 'center';
    at.fillText('⊘', left + MARK / 2, y + 2 + MARK / 2 + (up - down) / 2);
    at.font = font;
  }

  private tinted(at: CanvasRenderingContext2D, colour: string, alpha: number, x: number, y: number, width: number): void {
    at.globalAlpha = alpha;
    at.fillStyle = colour;
    at.fillRect(x, y, width, LINE - 1);
    at.globalAlpha = 1;
  }

  /** Lines aslant, `apart` pixels from each other. */
  private hatched(at: CanvasRenderingContext2D, colour: string, apart: number, x: number, y: number, width: number): void {
    at.save();
    at.beginPath();
    at.rect(x, y, width, LINE - 1);
    at.clip();
    at.beginPath();
    for (let across = 0; across < width + LINE; across += apart * HATCH) {
      at.moveTo(x + across, y);
      at.lineTo(x + across - LINE, y + LINE);
    }
    at.setLineDash([]);
    at.lineWidth = 1.35;
    at.strokeStyle = colour;
    at.stroke();
    at.restore();
  }
}

/** The column that stands at a distance from the left edge of the cells. */
export function firstColumn(offsets: number[], x: number): number {
  let [low, high] = [0, Math.max(0, offsets.length - 2)];
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if ((offsets[middle] ?? 0) <= x) low = middle;
    else high = middle - 1;
  }
  return low;
}

const ROOMY = 12; // pixels: a text that has as many for each letter is not measured, for it fits

/** As much of a text as there is room for, with an ellipsis where that is not all. */
function fitted(at: CanvasRenderingContext2D, text: string, room: number): string {
  if (text.length * ROOMY <= room || at.measureText(text).width <= room) return text;
  let [low, high] = [0, text.length];
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (at.measureText(`${text.slice(0, middle)}…`).width <= room) low = middle;
    else high = middle - 1;
  }
  return low ? `${text.slice(0, low)}…` : '';
}
