// What a table is: its role, found or corrected; what one row of it is, and whether its rows keep to that; its hierarchies; who sees it.
import { useState } from 'react';
import type { ModelDocument, TableInfo } from '../../api/client';
import { useEdits } from '../../api/queries';
import { RoleMark } from '../../marks/Marks';
import { columnName, columnText, count, counted, referenceText } from '../../shared/format';
import { Rename } from '../names/Rename';
import { Chooser } from '../probe/Chooser';
import { useTableShape } from './requests';

const ROLES = ['fact', 'dimension', 'outrigger', 'bridge'] as const;

export function TableShape({ model, table }: { model: ModelDocument; table: TableInfo }) {
  const { edit, busy } = useEdits(model);
  const say = (said: Record<string, unknown>) => edit({ kind: 'describe_table', name: table.name, ...said });
  const corrected = table.role !== table.apparent_role;
  const subjects = [...new Set(model.tables.map((t) => t.subject).filter(Boolean))];
  return (
    <>
      <h3>Role</h3>
      <p>
        <RoleMark role={table.apparent_role} size={14} /> Found to be{' '}
        {table.apparent_role === 'disconnected' ? 'linked to nothing' : `a ${table.apparent_role}`} by its links
        {table.calendar ? ' and its dates' : ''}.
        {corrected && (
          <>
            {' '}
            Its author calls it a <b>{table.role}</b>.
          </>
        )}
      </p>
      <select
        className="field"
        aria-label={`Role of ${table.name}`}
        disabled={busy}
        value={corrected ? table.role : ''}
        onChange={(e) => void say({ role: e.target.value })}
      >
        <option value="">as it is found</option>
        {ROLES.map((role) => (
          <option key={role} value={role}>
            {role}
          </option>
        ))}
      </select>
      <Grain key={`${table.grain} ${table.grain_columns.join()}`} model={model} table={table} onSay={say} />
      <Hierarchies model={model} table={table} />
      <h3>In lists</h3>
      <div className="row">
        <label>
          <input type="checkbox" checked={table.hidden} disabled={busy} onChange={(e) => void say({ hidden: e.target.checked })} /> hidden
        </label>
        <Subject key={table.subject} subject={table.subject} subjects={subjects} onSay={(subject) => void say({ subject })} />
      </div>
    </>
  );
}

function Subject({ subject, subjects, onSay }: { subject: string; subjects: string[]; onSay: (subject: string) => void }) {
  const [text, setText] = useState(subject);
  const keep = () => text.trim() !== subject && onSay(text.trim());
  return (
    <form
      className="grow"
      onSubmit={(e) => {
        e.preventDefault();
        keep();
      }}
    >
      <input
        className="field"
        aria-label="Subject"
        placeholder="subject"
        list="subjects"
        value={text}
        onChange={(e) => setText(e.target.value)}
        onBlur={keep}
      />
      <datalist id="subjects">
        {subjects.map((s) => (
          <option key={s} value={s} />
        ))}
      </datalist>
    </form>
  );
}

type Shape = NonNullable<ReturnType<typeof useTableShape>['data']>;

interface GrainProps {
  model: ModelDocument;
  table: TableInfo;
  onSay: (said: Record<string, unknown>) => Promise<unknown>;
}

/** One row is …, in words, and the columns that tell rows apart, tested. */
function Grain({ model, table, onSay }: GrainProps) {
  const [words, setWords] = useState(table.grain);
  const [columns, setColumns] = useState<string[]>(table.grain_columns);
  const [choosing, setChoosing] = useState(false);
  const grain = useTableShape(model, table.name, columns).data?.grain;
  const changed = words !== table.grain || columns.join() !== table.grain_columns.join();
  const toggle = (column: string) => setColumns(columns.includes(column) ? columns.filter((c) => c !== column) : [...columns, column]);
  return (
    <>
      <h3>Grain</h3>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          void onSay({ grain: words.trim(), grain_columns: columns });
        }}
      >
        <input
          className="field"
          aria-label={`What one row of ${table.name} is`}
          placeholder="one row is …"
          value={words}
          onChange={(e) => setWords(e.target.value)}
        />
        <div className="row" style={{ marginTop: 6 }}>
          {columns.map((c) => (
            <span key={c} className="chip">
              <span className="chip-text">{c}</span>
              <button type="button" aria-label={`Take ${c} out of the grain`} onClick={() => toggle(c)}>
                ✕
              </button>
            </span>
          ))}
          <button type="button" className="pill small" aria-expanded={choosing} onClick={() => setChoosing(!choosing)}>
            {columns.length ? 'other columns' : 'which columns tell rows apart?'}
          </button>
          {changed && (
            <button type="submit" className="pill small solid">
              Keep
            </button>
          )}
        </div>
        {choosing && (
          <div className="pick-list">
            {table.columns.map((c) => (
              <label key={c.name}>
                <input type="checkbox" checked={columns.includes(c.name)} onChange={() => toggle(c.name)} /> {c.name}
              </label>
            ))}
          </div>
        )}
      </form>
      {columns.length === 0 && table.candidate_keys && table.candidate_keys.length > 0 && (
        <p className="quiet">Unique by itself: {table.candidate_keys.slice(0, 3).join('; ')}.</p>
      )}
      {grain && <Tested grain={grain} />}
    </>
  );
}

/** Whether the columns tell rows apart, with examples where they do not. */
function Tested({ grain }: { grain: NonNullable<Shape['grain']> }) {
  if (grain.repeated === 0)
    return (
      <p role="status">
        ✓ Each of {counted(grain.rows, 'row')} has its own {grain.columns.join(' and ')}
        {grain.empty ? `; ${counted(grain.empty, 'row')} with an empty part` : ''}.
      </p>
    );
  return (
    <div role="status">
      <p className="signal">
        ◆ {count(grain.repeated)} of {counted(grain.rows, 'row')} share it with another: the grain is finer.
      </p>
      <table>
        <tbody>
          {grain.examples.map((e) => (
            <tr key={JSON.stringify(e.key)}>
              <td>{e.key.map(columnText).join(', ')}</td>
              <td className="num">{counted(e.rows, 'row')}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

/** What is said of a hierarchy: its name and its levels. */
interface Said {
  name: string;
  levels: string[];
}

function Hierarchies({ model, table }: { model: ModelDocument; table: TableInfo }) {
  const shown = useTableShape(model, table.name, []).data?.hierarchies ?? [];
  const [making, setMaking] = useState<Said | null>(null);
  return (
    <>
      <h3>Hierarchies</h3>
      {shown.map((h) => (
        <HierarchyLine key={h.name} model={model} hierarchy={h} onChange={() => setMaking({ name: h.name, levels: h.levels })} />
      ))}
      {making ? (
        <HierarchyForm model={model} table={table} said={making} onSay={setMaking} />
      ) : (
        <button type="button" className="pill small" onClick={() => setMaking({ name: '', levels: [] })}>
          New hierarchy
        </button>
      )}
    </>
  );
}

interface LineProps {
  model: ModelDocument;
  hierarchy: Shape['hierarchies'][number];
  onChange: () => void;
}

function HierarchyLine({ model, hierarchy: h, onChange }: LineProps) {
  const { edit, busy } = useEdits(model);
  const [renaming, setRenaming] = useState(false);
  return (
    <div className="hierarchy">
      <div className="row">
        <b>{h.name}</b>
        <span className="grow">{h.levels.join(' › ')}</span>
        <button type="button" className="plain quiet" aria-label={`Rename the hierarchy ${h.name}`} onClick={() => setRenaming(!renaming)}>
          <u>rename</u>
        </button>
        <button type="button" className="plain quiet" aria-label={`Change the hierarchy ${h.name}`} disabled={busy} onClick={onChange}>
          <u>change</u>
        </button>
        <button
          data-needs="edit"
          type="button"
          className="plain quiet"
          aria-label={`Remove the hierarchy ${h.name}`}
          disabled={busy}
          onClick={() => void edit({ kind: 'remove_hierarchy', name: h.name })}
        >
          ✕
        </button>
      </div>
      {renaming && <Rename model={model} what="hierarchy" name={h.name} onDone={() => setRenaming(false)} />}
      {h.faults.length === 0 && <div className="quiet">✓ every member has one parent</div>}
      {h.faults.map((f) => (
        <div key={f.sentence} className="signal">
          ◆ {f.sentence}
          {f.examples.slice(0, 3).map((x) => (
            <div key={String(x.member)} className="quiet">
              {columnText(x.member)}: {x.parents.map(columnText).join(', ')}
            </div>
          ))}
        </div>
      ))}
    </div>
  );
}

interface FormProps {
  model: ModelDocument;
  table: TableInfo;
  said: Said;
  onSay: (said: Said | null) => void;
}

function HierarchyForm({ model, table, said, onSay }: FormProps) {
  const { edit, busy } = useEdits(model);
  const keep = () => edit({ kind: 'put_hierarchy', hierarchy: { name: said.name.trim(), levels: said.levels } });
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        void keep().then((ok) => ok && onSay(null));
      }}
    >
      <input
        className="field"
        aria-label="Name of the hierarchy"
        placeholder="name"
        value={said.name}
        onChange={(e) => onSay({ ...said, name: e.target.value })}
      />
      <Levels model={model} table={table} levels={said.levels} onLevels={(levels) => onSay({ ...said, levels })} />
      <div className="row" style={{ marginTop: 6 }}>
        <button type="submit" className="pill small solid" disabled={busy || !said.name.trim() || said.levels.length < 2}>
          Keep
        </button>
        <button type="button" className="pill small" onClick={() => onSay(null)}>
          Leave it
        </button>
      </div>
    </form>
  );
}

/** The levels as chips, the widest first: added from a list, moved, taken out. */
function Levels({
  model,
  table,
  levels,
  onLevels,
}: {
  model: ModelDocument;
  table: TableInfo;
  levels: string[];
  onLevels: (levels: string[]) => void;
}) {
  const choices = [table, ...model.tables.filter((t) => t.name !== table.name && !t.hidden)].flatMap((t) =>
    t.columns
      .filter((c) => !c.hidden)
      .map((c) => ({ value: referenceText(t.name, c.name), text: `${t.name} ${c.name.replaceAll('_', ' ')}`, detail: c.dtype })),
  );
  const move = (from: number, by: number) => {
    const next = [...levels];
    const [level] = next.splice(from, 1);
    if (level) next.splice(Math.max(0, Math.min(levels.length - 1, from + by)), 0, level);
    onLevels(next);
  };
  return (
    <div className="row levels" role="group" aria-label="Its levels, the widest first">
      {levels.map((level, i) => (
        <span key={level} className="chip">
          {i > 0 && (
            <button type="button" aria-label={`Make ${level} a wider level`} title="Wider" onClick={() => move(i, -1)}>
              ‹
            </button>
          )}
          <span className="chip-text">{columnName(level)}</span>
          {i < levels.length - 1 && (
            <button type="button" aria-label={`Make ${level} a finer level`} title="Finer" onClick={() => move(i, 1)}>
              ›
            </button>
          )}
          <button type="button" aria-label={`Take ${level} out`} onClick={() => onLevels(levels.filter((l) => l !== level))}>
            ✕
          </button>
        </span>
      ))}
      <Chooser
        label="+ level"
        title="Add a level, the widest first"
        choices={choices.filter((c) => !levels.includes(c.value))}
        onChoose={(v) => onLevels([...levels, v])}
      />
    </div>
  );
}
