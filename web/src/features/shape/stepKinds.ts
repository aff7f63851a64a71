// The kinds of steps: what each is called, what it needs, and what a new one starts with.
import type { LinkInfo, ShapeColumn } from '../../api/client';
import type { Step } from './requests';

export type Field =
  | { type: 'columns'; key: string; label: string; ordered?: boolean }
  | { type: 'column'; key: string; label: string; optional?: true }
  | { type: 'text'; key: string; label: string; hint?: string }
  | { type: 'number'; key: string; label: string }
  | { type: 'choice'; key: string; label: string; options: [string, string][] }
  | { type: 'flag'; key: string; label: string; on?: true }
  | { type: 'formula'; key: string; label: string; hint?: string }
  | { type: 'texts'; key: string; label: string; hint?: string }
  | { type: 'names'; key: string; label: string }
  | { type: 'pairs'; key: string; label: string }
  | { type: 'tables'; key: string; label: string }
  | { type: 'orphans'; key: string; label: string }
  | { type: 'lookup'; key: string; label: string };

type Linked = Pick<LinkInfo, 'from_table' | 'from_columns' | 'to_columns'>;

export interface StepKind {
  kind: string;
  label: string;
  group: 'Columns' | 'Rows' | 'Text' | 'Turn' | 'Other tables';
  help: string;
  fields: Field[];
  /** A new step, for the chosen column where there is one; `linked` are the links that lead to the table. */
  start: (columns: ShapeColumn[], chosen: string | null, linked: Linked[]) => Step;
}

const TYPES: [string, string][] = ['text', 'integer', 'number', 'boolean', 'date', 'datetime'].map((t) => [t, t]);
const PARTS: [string, string][] = [
  ['year', 'year'],
  ['quarter', 'quarter of the year'],
  ['month', 'month of the year'],
  ['week', 'ISO week'],
  ['isoyear', 'year of the ISO week'],
  ['day', 'day of the month'],
  ['isodow', 'day of the week, Monday 1'],
  ['doy', 'day of the year'],
  ['hour', 'hour'],
  ['minute', 'minute'],
  ['second', 'second'],
  ['date', 'the day alone'],
];
const texts = (columns: ShapeColumn[]) => columns.filter((c) => c.dtype === 'text').map((c) => c.name);
const one = (chosen: string | null, names: string[]) => chosen ?? names[0] ?? '';
const some = (chosen: string | null) => (chosen ? [chosen] : []);

export const STEP_KINDS: StepKind[] = [
  {
    kind: 'choose_columns',
    label: 'Choose and order columns',
    group: 'Columns',
    help: 'Keeps the ticked columns, in the order they stand.',
    fields: [{ type: 'columns', key: 'columns', label: 'Columns', ordered: true }],
    start: (c) => ({ kind: 'choose_columns', columns: c.map((x) => x.name) }),
  },
  {
    kind: 'rename',
    label: 'Rename',
    group: 'Columns',
    help: 'New names for columns.',
    fields: [{ type: 'names', key: 'names', label: 'New names' }],
    start: () => ({ kind: 'rename', names: {} }),
  },
  {
    kind: 'retype',
    label: 'Read as another type',
    group: 'Columns',
    help: 'Texts are read by a pattern, as dd.MM.yyyy; what cannot be read is told.',
    fields: [
      { type: 'column', key: 'column', label: 'Column' },
      { type: 'choice', key: 'to', label: 'Type', options: TYPES },
      { type: 'text', key: 'pattern', label: 'Pattern of a date', hint: 'dd.MM.yyyy' },
      {
        type: 'choice',
        key: 'decimal',
        label: 'Decimal mark',
        options: [
          ['.', 'point'],
          [',', 'comma'],
        ],
      },
      {
        type: 'choice',
        key: 'group',
        label: 'Groups of digits',
        options: [
          ['', 'none'],
          [',', '1,000'],
          ['.', '1.000'],
          [' ', '1 000'],
          ["'", "1'000"],
        ],
      },
      {
        type: 'choice',
        key: 'misfits',
        label: 'What cannot be read',
        options: [
          ['refuse', 'is an error'],
          ['empty', 'becomes empty'],
        ],
      },
    ],
    start: (c, chosen) => ({
      kind: 'retype',
      column: one(
        chosen,
        c.map((x) => x.name),
      ),
      to: 'date',
      misfits: 'refuse',
    }),
  },
  {
    kind: 'compute',
    label: 'Computed column',
    group: 'Columns',
    help: 'A formula over the row’s own columns.',
    fields: [
      { type: 'text', key: 'name', label: 'Name' },
      { type: 'formula', key: 'formula', label: 'Formula', hint: 'column * 2' },
    ],
    start: () => ({ kind: 'compute', name: 'computed', formula: '' }),
  },
  {
    kind: 'date_part',
    label: 'Part of a date',
    group: 'Columns',
    help: 'Year, month, week … as a column of its own.',
    fields: [
      { type: 'column', key: 'column', label: 'Date' },
      { type: 'choice', key: 'part', label: 'Part', options: PARTS },
      { type: 'text', key: 'into', label: 'New column' },
    ],
    start: (c, chosen) => ({
      kind: 'date_part',
      column: one(
        chosen,
        c.filter((x) => x.dtype.startsWith('date')).map((x) => x.name),
      ),
      part: 'year',
      into: 'year',
    }),
  },
  {
    kind: 'date_of_parts',
    label: 'Date of its parts',
    group: 'Columns',
    help: 'Year, month and day as one date; with an hour as a moment.',
    fields: [
      { type: 'column', key: 'year', label: 'Year' },
      { type: 'column', key: 'month', label: 'Month' },
      { type: 'column', key: 'day', label: 'Day' },
      { type: 'column', key: 'hour', label: 'Hour', optional: true },
      { type: 'column', key: 'minute', label: 'Minute', optional: true },
      { type: 'text', key: 'into', label: 'New column' },
      { type: 'flag', key: 'keep', label: 'keep the parts', on: true },
      {
        type: 'choice',
        key: 'misfits',
        label: 'What names no day',
        options: [
          ['refuse', 'is an error'],
          ['empty', 'becomes empty'],
        ],
      },
    ],
    start: (c) => {
      const called = (part: string) =>
        c.find((x) => x.dtype === 'integer' && x.name.toLowerCase() === part)?.name ??
        c.find((x) => x.dtype === 'integer' && x.name.toLowerCase().includes(part))?.name;
      const first = c.find((x) => x.dtype === 'integer')?.name ?? '';
      return {
        kind: 'date_of_parts',
        year: called('year') ?? first,
        month: called('month') ?? first,
        day: called('day') ?? first,
        hour: '',
        minute: '',
        into: c.some((x) => x.name === 'date') ? 'day of it' : 'date',
        keep: true,
        misfits: 'refuse',
      };
    },
  },
  {
    kind: 'number_rows',
    label: 'Number the rows',
    group: 'Columns',
    help: 'A column that counts from 1.',
    fields: [{ type: 'text', key: 'into', label: 'New column' }],
    start: () => ({ kind: 'number_rows', into: 'row' }),
  },
  {
    kind: 'keep_rows',
    label: 'Keep rows',
    group: 'Rows',
    help: 'Keeps the rows for which a condition is true.',
    fields: [{ type: 'formula', key: 'condition', label: 'Condition', hint: "amount > 0 AND state <> 'void'" }],
    start: () => ({ kind: 'keep_rows', condition: '' }),
  },
  {
    kind: 'remove_repeats',
    label: 'Remove repeats',
    group: 'Rows',
    help: 'Of rows that are equal in the ticked columns one stays. None ticked: in all columns.',
    fields: [
      { type: 'columns', key: 'columns', label: 'Equal in' },
      {
        type: 'choice',
        key: 'keep',
        label: 'Stays',
        options: [
          ['first', 'the first'],
          ['last', 'the last'],
        ],
      },
    ],
    start: (_, chosen) => ({ kind: 'remove_repeats', columns: some(chosen), keep: 'first' }),
  },
  {
    kind: 'fill_down',
    label: 'Fill empties',
    group: 'Rows',
    help: 'An empty value takes that of the row above, or below.',
    fields: [
      { type: 'columns', key: 'columns', label: 'Columns' },
      { type: 'flag', key: 'up', label: 'from below' },
    ],
    start: (_, chosen) => ({ kind: 'fill_down', columns: some(chosen), up: false }),
  },
  {
    kind: 'replace',
    label: 'Replace by a list',
    group: 'Rows',
    help: 'Values by a list; with several columns, combinations. (empty) stands for empty.',
    fields: [
      { type: 'columns', key: 'columns', label: 'Columns' },
      { type: 'pairs', key: 'pairs', label: 'Replacements' },
      { type: 'flag', key: 'within', label: 'parts of a text, too' },
    ],
    start: (c, chosen) => ({ kind: 'replace', columns: [one(chosen, texts(c))], pairs: [{ from: [''], to: [''] }], within: false }),
  },
  {
    kind: 'trim',
    label: 'Trim spaces',
    group: 'Text',
    help: 'Spaces at both ends go; a text of spaces becomes empty.',
    fields: [
      { type: 'columns', key: 'columns', label: 'Columns' },
      { type: 'flag', key: 'inner', label: 'runs of spaces inside become one' },
    ],
    start: (_, chosen) => ({ kind: 'trim', columns: some(chosen), inner: false }),
  },
  {
    kind: 'change_case',
    label: 'Change case',
    group: 'Text',
    help: 'Letters in capitals, small, or a capital for each word.',
    fields: [
      { type: 'columns', key: 'columns', label: 'Columns' },
      {
        type: 'choice',
        key: 'to',
        label: 'Case',
        options: [
          ['upper', 'CAPITALS'],
          ['lower', 'small letters'],
          ['title', 'A Capital Each'],
        ],
      },
    ],
    start: (_, chosen) => ({ kind: 'change_case', columns: some(chosen), to: 'upper' }),
  },
  {
    kind: 'split_text',
    label: 'Split text',
    group: 'Text',
    help: 'At a separator, or after a number of characters; the last new column takes the rest.',
    fields: [
      { type: 'column', key: 'column', label: 'Column' },
      { type: 'text', key: 'separator', label: 'Separator', hint: '-' },
      { type: 'number', key: 'after', label: 'or after characters' },
      { type: 'texts', key: 'into', label: 'New columns', hint: 'first, second' },
      { type: 'flag', key: 'keep', label: 'keep the column', on: true },
    ],
    start: (c, chosen) => ({ kind: 'split_text', column: one(chosen, texts(c)), separator: '-', into: ['first', 'second'], keep: true }),
  },
  {
    kind: 'join_text',
    label: 'Join text',
    group: 'Text',
    help: 'Several columns as one text; empties are left out.',
    fields: [
      { type: 'columns', key: 'columns', label: 'Columns', ordered: true },
      { type: 'text', key: 'separator', label: 'Between' },
      { type: 'text', key: 'into', label: 'New column' },
      { type: 'flag', key: 'keep', label: 'keep the columns', on: true },
    ],
    start: (_, chosen) => ({ kind: 'join_text', columns: some(chosen), separator: ' ', into: 'joined', keep: true }),
  },
  {
    kind: 'columns_to_rows',
    label: 'Columns into rows',
    group: 'Turn',
    help: 'A row for each ticked column, its heading as a value. A heading of several parts is split; a part named * names the value columns.',
    fields: [
      { type: 'columns', key: 'columns', label: 'Columns to turn' },
      { type: 'texts', key: 'parts', label: 'Heading goes to', hint: 'fare_class' },
      { type: 'text', key: 'separator', label: 'Heading is split at' },
      { type: 'text', key: 'value', label: 'Value goes to' },
      { type: 'flag', key: 'skip_empty', label: 'leave out empty values', on: true },
    ],
    start: (c) => ({
      kind: 'columns_to_rows',
      columns: c.filter((x) => x.dtype === 'number' || x.dtype === 'integer').map((x) => x.name),
      parts: ['name'],
      separator: '',
      value: 'value',
      skip_empty: true,
    }),
  },
  {
    kind: 'rows_to_columns',
    label: 'Rows into columns',
    group: 'Turn',
    help: 'A column for each value of one column; the columns left over say which rows come together.',
    fields: [
      { type: 'column', key: 'names_from', label: 'Headings from' },
      { type: 'column', key: 'values_from', label: 'Values from' },
      {
        type: 'choice',
        key: 'several',
        label: 'Several values in a cell',
        options: [
          ['refuse', 'are an error'],
          ['sum', 'their sum'],
          ['first', 'the first'],
          ['last', 'the last'],
          ['count', 'how many'],
          ['smallest', 'the smallest'],
          ['largest', 'the largest'],
        ],
      },
    ],
    start: (c, chosen) => ({
      kind: 'rows_to_columns',
      names_from: one(chosen, texts(c)),
      values_from: c.at(-1)?.name ?? '',
      several: 'refuse',
    }),
  },
  {
    kind: 'append',
    label: 'Append another table',
    group: 'Other tables',
    help: 'Its rows beneath, columns by name.',
    fields: [
      { type: 'tables', key: 'tables', label: 'Tables' },
      { type: 'text', key: 'into', label: 'Column that names the table', hint: 'none' },
      { type: 'text', key: 'label', label: 'This table is called' },
    ],
    start: () => ({ kind: 'append', tables: [], into: '', label: '' }),
  },
  {
    kind: 'add_missing',
    label: 'Add missing members',
    group: 'Other tables',
    help: 'A row for every key that other tables name and this one does not have; its other columns are empty, and one more says that it was added.',
    fields: [
      { type: 'columns', key: 'key', label: 'Key', ordered: true },
      { type: 'orphans', key: 'named_by', label: 'Named in' },
      { type: 'text', key: 'into', label: 'Column that marks them' },
    ],
    start: (c, chosen, linked) => {
      const key = linked[0]?.to_columns ?? [
        one(
          chosen,
          c.map((x) => x.name),
        ),
      ];
      const named = linked
        .filter((k) => k.to_columns.join('\0') === key.join('\0'))
        .map((k) => ({ table: k.from_table, columns: [...k.from_columns] }));
      return { kind: 'add_missing', key: [...key], named_by: named, into: 'added' };
    },
  },
  {
    kind: 'look_up',
    label: 'Look up from another table',
    group: 'Other tables',
    help: 'Columns of the one row whose key is equal.',
    fields: [
      { type: 'lookup', key: 'table', label: 'Table' },
      {
        type: 'choice',
        key: 'unmatched',
        label: 'Rows without partner',
        options: [
          ['empty', 'get empties'],
          ['refuse', 'are an error'],
        ],
      },
    ],
    start: () => ({ kind: 'look_up', table: '', on: [], columns: {}, unmatched: 'empty' }),
  },
];

export function stepKind(kind: string): StepKind | undefined {
  return STEP_KINDS.find((k) => k.kind === kind);
}
