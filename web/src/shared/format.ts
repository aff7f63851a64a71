// Values and names as people read them.
import type { Allowed, Member, Scalar } from '../api/client';
import { RESERVED } from './reserved';

export const EMPTY = '(empty)';
export const UNMATCHED = '(unmatched)';

interface Pattern {
  prefix: string;
  suffix: string;
  digits: Intl.NumberFormat;
  /** How many places the point moves: two for percent, three for per mille. */
  shift: number;
}

const patterns = new Map<string, Pattern[]>();

/** A text of a pattern without its quotes: '' is one quote, and what stands between two is meant as it is. */
function unquoted(text: string): string {
  return text.replace(/''|'([^']*)'/g, (whole, inner: string | undefined) => (whole === "''" ? "'" : (inner ?? '')));
}

/** One half of a number pattern of UTS #35: what stands before and behind, grouping, least and most digits, percent or per mille. */
function readPattern(text: string): Pattern {
  const match = /^((?:'[^']*'|[^#0,.@'])*)([#0,.]*)((?:E\+?0+)?)([\s\S]*)$/.exec(text);
  const [, prefix = '', number = '', exponent = '', suffix = ''] = match ?? [];
  const [whole = '', fraction = ''] = number.split('.');
  const least = (fraction.match(/0/g) ?? []).length;
  const around = prefix + suffix;
  return {
    prefix: unquoted(prefix),
    suffix: unquoted(suffix),
    shift: around.includes('%') ? 2 : around.includes('‰') ? 3 : 0,
    digits: new Intl.NumberFormat('en-GB', {
      useGrouping: whole.includes(','),
      minimumIntegerDigits: Math.max(1, (whole.match(/0/g) ?? []).length),
      minimumFractionDigits: least,
      maximumFractionDigits: Math.max(least, (fraction.match(/[0#]/g) ?? []).length),
      notation: exponent ? 'scientific' : 'standard',
      roundingMode: 'halfEven',
    }),
  };
}

/** A number with its point moved, as exact digits: times a hundred, 0.575 would not be 57.5. */
function moved(value: number, shift: number): Intl.StringNumericLiteral {
  const [digits = '0', exponent = '0'] = String(value).split('e');
  return `${digits}e${Number(exponent) + shift}` as Intl.StringNumericLiteral;
}

/** A number by a pattern of UTS #35; a second half behind `;` is for negative numbers. */
function numberText(value: number, text: string): string {
  let pattern = patterns.get(text);
  if (!pattern) {
    const halves = text.match(/(?:'[^']*'|[^;'])+/g) ?? [text];
    pattern = halves.map(readPattern);
    patterns.set(text, pattern);
  }
  const [positive, negative] = pattern;
  if (!positive) return String(value);
  const digits = positive.digits.format(moved(Math.abs(value), positive.shift));
  const below = value < 0 && /[1-9]/.test(digits);
  if (below && negative) return `${negative.prefix}${digits}${negative.suffix}`;
  return `${below ? '-' : ''}${positive.prefix}${digits}${positive.suffix}`;
}

const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];

/** An ISO date as 3 Jan 2031; anything else as it is. */
export function dateText(text: string): string {
  const match = /^(\d{4})-(\d{2})-(\d{2})(?:T(\d{2}:\d{2}).*)?$/.exec(text);
  if (!match) return text;
  const [, year, month, day, time] = match;
  return `${Number(day)} ${MONTHS[Number(month) - 1]} ${year}${time && time !== '00:00' ? ` ${time}` : ''}`;
}

/** A value of a measure, by its pattern. */
export function measureText(value: Scalar | undefined, pattern: string, dtype: string): string {
  if (value === null || value === undefined) return '';
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  if (typeof value === 'string') return dtype === 'date' || dtype === 'datetime' ? dateText(value) : value;
  const usual = dtype === 'number' ? '#,##0.00' : '#,##0';
  return numberText(value, pattern || usual);
}

/** A value of a column: never grouped, for it may be a year or a number plate. */
export function columnText(value: Scalar | undefined): string {
  if (value === null || value === undefined) return EMPTY;
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  return typeof value === 'string' ? (value === '' ? '‘’' : dateText(value)) : String(value);
}

/** A value of a column of a type: a text is what it is, though it look like a date. */
export function typedText(value: Scalar | undefined, dtype: string): string {
  return dtype === 'text' && typeof value === 'string' && value !== '' ? value : columnText(value);
}

export function memberText(member: Member): string {
  if (member.kind === 'total') return 'All';
  if (member.kind === 'unmatched') return UNMATCHED;
  return member.kind === 'empty' ? EMPTY : columnText(member.value);
}

/** A count with its grouping. */
export function count(n: number): string {
  return numberText(n, '#,##0');
}

/** seats_sold as “Seats sold”: how a name reads in headings. */
export function nameText(name: string): string {
  const words = name.replaceAll('_', ' ');
  return words.charAt(0).toUpperCase() + words.slice(1);
}

/** A sentence of the server's with measures called as they are everywhere on screen. */
export function spoken(sentence: string, measures: string[]): string {
  const known = new Set(measures);
  return sentence.replace(/\b[A-Za-z0-9]+(?:_[A-Za-z0-9]+)+\b/g, (word) => (known.has(word) ? nameText(word) : word));
}

/** The table and the column of a written `Table.column`; a name with a dot or a quote in it stands in double quotes. */
export function splitReference(reference: string): [string, string] {
  const first = /^"((?:[^"]|"")*)"|^[^.]*/.exec(reference)?.[0] ?? '';
  const bare = (name: string) => (/^".*"$/s.test(name) ? name.slice(1, -1).replaceAll('""', '"') : name);
  return [bare(first), bare(reference.slice(first.length + 1))];
}

/** A column as probes write it. */
export function referenceText(table: string, column: string): string {
  return /[."]/.test(table + column) ? `${quotedName(table)}.${quotedName(column)}` : `${table}.${column}`;
}

/** `Port.name` as “Port name”. */
export function columnName(reference: string): string {
  return splitReference(reference).join(' ').trim().replaceAll('_', ' ');
}

/** What of the filters does not come to a measure, in words; nothing where all do. */
export function reachWords(measure: { unreached: string[]; marks: { kind: string; tables: string[] }[] }): string {
  const partly = measure.marks.filter((m) => m.kind === 'partly').flatMap((m) => m.tables);
  return [
    measure.unreached.length ? `not reached by ${measure.unreached.join(', ')}` : '',
    partly.length ? `reached in part by ${partly.join(', ')}` : '',
  ]
    .filter(Boolean)
    .join(', ');
}

/** What filters allow of a column, in a few words. */
export function allowedText(allowed: Allowed | null | undefined): string {
  if (!allowed) return 'any';
  const values = allowed.values.map((v) => columnText(v));
  if (allowed.unmatched) values.push(UNMATCHED);
  if (values.length === 0) return 'nothing';
  if (allowed.count > 3) return `${count(allowed.count)} of ${count(allowed.total)}`;
  return values.join(', ');
}

/** A name as formulas write it: in double quotes where it needs them. */
export function quotedName(name: string): string {
  return /^[A-Za-z_][A-Za-z0-9_]*$/.test(name) && !RESERVED.has(name.toLowerCase()) ? name : `"${name.replaceAll('"', '""')}"`;
}

/** A count with its word: one table, two tables. */
export function counted(n: number, word: string): string {
  return `${count(n)} ${word}${n === 1 ? '' : 's'}`;
}

/** A moment of the server's in this place's time. */
export function whenText(iso: string): string {
  const at = new Date(iso);
  const two = (n: number) => String(n).padStart(2, '0');
  return dateText(`${at.getFullYear()}-${two(at.getMonth() + 1)}-${two(at.getDate())}T${two(at.getHours())}:${two(at.getMinutes())}`);
}
