// Values and names as people read them.
import type { Allowed, Member, Scalar } from '../api/client';

export const EMPTY = '(empty)';
export const UNMATCHED = '(unmatched)';

const formatters = new Map<string, Intl.NumberFormat>();

/** A formatter for a number pattern of UTS #35: grouping, fraction digits, percent. */
function numberFormat(pattern: string): Intl.NumberFormat {
  const known = formatters.get(pattern);
  if (known) return known;
  const [, fraction = ''] = pattern.replace('%', '').split('.');
  const least = (fraction.match(/0/g) ?? []).length;
  const made = new Intl.NumberFormat('en-GB', {
    useGrouping: pattern.includes(','),
    minimumFractionDigits: least,
    maximumFractionDigits: Math.max(least, (fraction.match(/[0#]/g) ?? []).length),
    style: pattern.includes('%') ? 'percent' : 'decimal',
  });
  formatters.set(pattern, made);
  return made;
}

const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];

/** An ISO date as 3 Jan 2031; anything else as it is. */
export function dateText(text: string): string {
  const found = /^(\d{4})-(\d{2})-(\d{2})(?:T(\d{2}:\d{2}).*)?$/.exec(text);
  if (!found) return text;
  const [, year, month, day, time] = found;
  return `${Number(day)} ${MONTHS[Number(month) - 1]} ${year}${time && time !== '00:00' ? ` ${time}` : ''}`;
}

/** A value of a measure, by its pattern. */
export function measureText(value: Scalar | undefined, pattern: string, dtype: string): string {
  if (value === null || value === undefined) return '';
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  if (typeof value === 'string') return dtype === 'date' || dtype === 'datetime' ? dateText(value) : value;
  const usual = dtype === 'number' ? '#,##0.00' : '#,##0';
  return numberFormat(pattern || usual).format(value);
}

/** A value of a column: never grouped, for it may be a year or a number plate. */
export function columnText(value: Scalar | undefined): string {
  if (value === null || value === undefined) return EMPTY;
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  return typeof value === 'string' ? (value === '' ? '‘’' : dateText(value)) : String(value);
}

export function memberText(member: Member): string {
  if (member.kind === 'total') return 'All';
  if (member.kind === 'unmatched') return UNMATCHED;
  return member.kind === 'empty' ? EMPTY : columnText(member.value);
}

/** A count with its grouping. */
export function count(n: number): string {
  return numberFormat('#,##0').format(n);
}

/** seats_sold as “Seats sold”: how a name reads in headings. */
export function nameText(name: string): string {
  const words = name.replaceAll('_', ' ');
  return words.charAt(0).toUpperCase() + words.slice(1);
}

/** `Port.name` as “Port name”. */
export function columnName(reference: string): string {
  return reference.replaceAll('"', '').replace('.', ' ').replaceAll('_', ' ');
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
