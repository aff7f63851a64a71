// A calendar made here: its days, its columns, its language and its holidays.
import type { ModelDocument } from '../../api/client';
import { quotedName } from '../../shared/format';
import type { Origin } from './requests';

interface Form {
  origin: Origin;
  onChange: (origin: Origin) => void;
}

const COLUMNS = [
  'date',
  'year',
  'half',
  'quarter',
  'month',
  'month_of_year',
  'month_name',
  'week',
  'week_of_year',
  'iso_year',
  'day_of_month',
  'day_of_year',
  'day_of_week',
  'day_name',
  'season',
  'weekend',
  'holiday',
  'working_day',
];
const LANGUAGES: [string, string][] = [
  ['en', 'English'],
  ['de', 'German'],
  ['fr', 'French'],
  ['es', 'Spanish'],
  ['it', 'Italian'],
  ['nl', 'Dutch'],
  ['pl', 'Polish'],
  ['pt', 'Portuguese'],
  ['sv', 'Swedish'],
  ['da', 'Danish'],
  ['nb', 'Norwegian'],
  ['fi', 'Finnish'],
];
const MONTHS = ['January', 'February', 'March', 'April', 'May', 'June', 'July', 'August', 'September', 'October', 'November', 'December'];

type Put = (part: Origin) => void;

export function CalendarForm({ model, origin, onChange }: Form & { model: ModelDocument }) {
  const put: Put = (part) => onChange({ ...origin, ...part });
  return (
    <>
      <Dates model={model} dates={(origin.dates as string[] | undefined) ?? []} put={put} />
      <div className="settings">
        <Days origin={origin} put={put} />
        <Holidays model={model} holidays={(origin.holidays as HolidayList | null | undefined) ?? null} put={put} />
      </div>
      {Number(origin.year_starts_in ?? 1) > 1 && (
        <p className="quiet">
          A year is named after the calendar year in which it starts; quarters and the month of the year count from there.
        </p>
      )}
      <CalendarColumns columns={(origin.columns as string[] | undefined) ?? []} put={put} />
    </>
  );
}

/** The date columns whose days the calendar holds. */
function Dates({ model, dates, put }: { model: ModelDocument; dates: string[]; put: Put }) {
  const sources = model.tables
    .filter((t) => !t.formula && t.origin.kind !== 'calendar')
    .flatMap((t) =>
      t.columns
        .filter((c) => !c.formula && c.dtype.startsWith('date'))
        .map((c) => ({ text: `${t.name}.${c.name}`, name: `${quotedName(t.name)}.${quotedName(c.name)}` })),
    );
  return (
    <fieldset>
      <legend>From the dates in</legend>
      <div className="tick-list">
        {sources.map((s) => (
          <label key={s.name} className="tick">
            <input
              type="checkbox"
              checked={dates.includes(s.name)}
              onChange={(e) => put({ dates: e.target.checked ? [...dates, s.name] : dates.filter((x) => x !== s.name) })}
            />
            {s.text}
          </label>
        ))}
        {sources.length === 0 && <span className="quiet">no table has dates yet; name a span</span>}
      </div>
    </fieldset>
  );
}

/** A span of its own, and how years are counted and named. */
function Days({ origin, put }: { origin: Origin; put: Put }) {
  return (
    <>
      <label>
        First day
        <input className="field" type="date" value={String(origin.start ?? '')} onChange={(e) => put({ start: e.target.value || null })} />
      </label>
      <label>
        Last day
        <input className="field" type="date" value={String(origin.end ?? '')} onChange={(e) => put({ end: e.target.value || null })} />
      </label>
      <label>
        Year starts in
        <select
          className="field"
          value={Number(origin.year_starts_in ?? 1)}
          onChange={(e) => put({ year_starts_in: Number(e.target.value) })}
        >
          {MONTHS.map((m, i) => (
            <option key={m} value={i + 1}>
              {m}
            </option>
          ))}
        </select>
      </label>
      <label>
        Names in
        <select className="field" value={String(origin.language ?? 'en')} onChange={(e) => put({ language: e.target.value })}>
          {LANGUAGES.map(([code, words]) => (
            <option key={code} value={code}>
              {words}
            </option>
          ))}
        </select>
      </label>
      <label className="check">
        <input type="checkbox" checked={origin.whole_years === true} onChange={(e) => put({ whole_years: e.target.checked })} />
        whole years
      </label>
    </>
  );
}

interface HolidayList {
  table: string;
  date: string;
  name: string;
}

/** A table that lists holidays, and which of its columns are their days and names. */
function Holidays({ model, holidays, put }: { model: ModelDocument; holidays: HolidayList | null; put: Put }) {
  const lists = model.tables.filter((t) => !t.formula && t.origin.kind !== 'calendar' && t.columns.some((c) => c.dtype === 'date'));
  const list = model.tables.find((t) => t.name === holidays?.table);
  const firstOf = (name: string): HolidayList | null => {
    const table = lists.find((x) => x.name === name);
    const column = (dtype: string) => table?.columns.find((c) => c.dtype === dtype)?.name ?? '';
    return table ? { table: table.name, date: column('date'), name: column('text') } : null;
  };
  return (
    <>
      <label>
        Holidays from
        <select className="field" value={holidays?.table ?? ''} onChange={(e) => put({ holidays: firstOf(e.target.value) })}>
          <option value="">none</option>
          {lists.map((t) => (
            <option key={t.name} value={t.name}>
              {t.name}
            </option>
          ))}
        </select>
      </label>
      {holidays && list && (
        <>
          <label>
            their day
            <select className="field" value={holidays.date} onChange={(e) => put({ holidays: { ...holidays, date: e.target.value } })}>
              {list.columns
                .filter((c) => c.dtype.startsWith('date'))
                .map((c) => (
                  <option key={c.name}>{c.name}</option>
                ))}
            </select>
          </label>
          <label>
            their name
            <select className="field" value={holidays.name} onChange={(e) => put({ holidays: { ...holidays, name: e.target.value } })}>
              <option value="">none</option>
              {list.columns.map((c) => (
                <option key={c.name}>{c.name}</option>
              ))}
            </select>
          </label>
        </>
      )}
    </>
  );
}

function CalendarColumns({ columns, put }: { columns: string[]; put: Put }) {
  return (
    <fieldset>
      <legend>Columns</legend>
      <div className="tick-list">
        {COLUMNS.map((c) => (
          <label key={c} className="tick">
            <input
              type="checkbox"
              checked={c === 'date' || columns.includes(c)}
              disabled={c === 'date'}
              onChange={(e) => put({ columns: COLUMNS.filter((x) => (x === c ? e.target.checked : columns.includes(x))) })}
            />
            {c}
          </label>
        ))}
      </div>
    </fieldset>
  );
}
