import { Note } from '../../shared/Note';
import { useState } from 'react';
import type { LinkInfo, ModelDocument, TableInfo } from '../../api/client';
import { useEdits } from '../../api/queries';
import { askChange, askRemove } from './edits';
import { LinkMark } from '../../marks/Marks';
import { actions } from '../../app/shown';
import { count } from '../../shared/format';
import { RenameButton } from '../names/Rename';
import { RoleForm } from './RoleForm';
import { withMissing } from './missingMembers';

function flowSentence(link: LinkInfo): string {
  if (!link.active) return 'It carries nothing until a formula switches it on, or you do.';
  const there = `A filter on ${link.to_table} runs to ${link.from_table}.`;
  return link.flow === 'two-way' ? `${there} One on ${link.from_table} runs to ${link.to_table}, too.` : `${there} None runs back.`;
}

interface Props {
  model: ModelDocument;
  link: LinkInfo;
}

export function LensLink({ model, link }: Props) {
  const users = model.measures.filter((m) => m.switches_on.includes(link.name));
  const one = model.tables.find((t) => t.name === link.to_table);
  const findings = model.findings.filter((f) => f.accepted === null && f.about === `link ${link.name}`);
  return (
    <>
      <h2>{link.name}</h2>
      <p className="quiet">
        {link.cardinality}, {link.active ? 'active' : 'inactive'}, {link.firm ? 'firm' : `loose: ${link.why_loose}`}
      </p>
      <LinkMark link={link} width={120} />
      <div className="formula-box">{link.text}</div>
      <p>{flowSentence(link)}</p>
      <Note text={link.description} quiet />
      <Choice link={link} label="State" property="active" choices={[true, false]} words={(v) => (v ? 'active' : 'inactive')} />
      <Choice link={link} label="Flow" property="flow" choices={['one-way', 'two-way']} words={String} />
      <Keys model={model} link={link} />
      {findings.map((f) => (
        <p key={f.code} style={{ marginTop: 8 }}>
          {f.sentence} <span className="quiet">{f.mend}</span>
        </p>
      ))}
      {!link.active && (
        <>
          <h3>A measure switches it on for itself</h3>
          <div className="formula-box">given (via {link.text})</div>
        </>
      )}
      {one && !one.formula && <OwnTable model={model} table={one} link={link} />}
      {users.length > 0 && (
        <>
          <h3>Switched on by</h3>
          <p className="measure-ink">{users.map((m) => m.name).join(', ')}</p>
        </>
      )}
      <div style={{ marginTop: 18 }}>
        <button data-needs="edit" type="button" className="pill small" onClick={() => askChange(link.name)}>
          Change
        </button>{' '}
        <RenameButton
          key={link.name}
          model={model}
          what="link"
          name={link.name}
          onRenamed={(to) => actions.select({ kind: 'link', name: to })}
        />{' '}
        <button data-needs="edit" type="button" className="pill small" onClick={() => askRemove(link.name)}>
          Remove this link
        </button>
      </div>
    </>
  );
}

interface ChoiceProps<P extends 'active' | 'flow'> {
  link: LinkInfo;
  label: string;
  property: P;
  choices: LinkInfo[P][];
  words: (value: LinkInfo[P]) => string;
}

/** One of two things that a link can be; the other one is asked for before it is made. */
function Choice<P extends 'active' | 'flow'>({ link, label, property, choices, words }: ChoiceProps<P>) {
  return (
    <>
      <h3>{label}</h3>
      <div className="segment" role="group" aria-label={label}>
        {choices.map((value) => (
          <button
            key={words(value)}
            type="button"
            aria-pressed={link[property] === value}
            onClick={() => link[property] !== value && askChange(link.name, { [property]: value })}
          >
            {words(value)}
          </button>
        ))}
      </div>
    </>
  );
}

/** How the keys of the two tables match, and a mend for those that are missing. */
function Keys({ model, link }: Props) {
  const { edit, busy } = useEdits(model);
  const one = model.tables.find((t) => t.name === link.to_table);
  const rows = link.matched + link.orphans + link.empty;
  return (
    <>
      <h3>Keys</h3>
      <table>
        <tbody>
          <tr>
            <td>rows of {link.from_table} that match</td>
            <td className="num">
              {count(link.matched)} of {count(rows)}
            </td>
          </tr>
          <tr>
            <td>name a key that is not there</td>
            <td className={link.orphans ? 'num signal' : 'num'}>{count(link.orphans)}</td>
          </tr>
          <tr>
            <td>have no key</td>
            <td className="num">{count(link.empty)}</td>
          </tr>
        </tbody>
      </table>
      {link.orphans > 0 && one && !one.formula && link.cardinality !== 'many-to-many' && (
        <p style={{ marginTop: 8 }}>
          <button
            data-needs="edit"
            type="button"
            className="pill small"
            disabled={busy}
            title={`A step of ${one.name}: a row for each of these keys, marked as added`}
            onClick={() => void edit(withMissing(one, link))}
          >
            Add the missing members to {one.name}
          </button>
        </p>
      )}
    </>
  );
}

/** The table of the one side once more, for this link alone. */
function OwnTable({ model, table, link }: Props & { table: TableInfo }) {
  const [open, setOpen] = useState(false);
  if (open) return <RoleForm model={model} table={table} link={link} onDone={() => setOpen(false)} />;
  return (
    <p style={{ marginTop: 8 }}>
      <button type="button" className="pill small" title={`${table.name} once more, for this link alone`} onClick={() => setOpen(true)}>
        Give it a table of its own
      </button>
    </p>
  );
}
