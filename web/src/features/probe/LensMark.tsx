// A mark of truth explained: what is so, why, the numbers it is about, and what would mend it.
import { useNavigate } from 'react-router';
import type { Coordinate, GridAnswer, GridMeasure as Asked, ModelDocument, Probe, Scalar, TruthMark } from '../../api/client';
import { useGrid, useMends } from '../../api/queries';
import { actions } from '../../app/shown';
import { askedProbe, useProbe } from './store';
import { columnName, count, counted, measureText, memberText, nameText } from '../../shared/format';
import { OpeningLine } from '../link/OpeningLine';
import { coordinates } from './axes';
import { MARK_WORDS } from './MarkNotes';
import './probe.css';
import { useProve } from '../prove/store';

const MOST = 6;

const MEANS: Record<TruthMark['kind'], string> = {
  unreached:
    'A filter that cannot flow to a table does nothing to it. That is not an error, and the number does not show it: it is the same with the filter and without it.',
  partly:
    'The measure is made of several facts, and the filter runs to some of them only: the others stay whole. A difference or a share of the two then holds a part against a whole.',
  overridden: 'The formula replaces or clears what the cell asks for there, so the cell does not show the number of its own line.',
  apart: 'Every total is computed in its own context, never added up. Here that makes a difference.',
  denominator: 'What the share is a part of is computed under the picks too. With other picks the same cell is a share of another whole.',
  whole: 'A number divided by itself: what the denominator clears is not what the axis filters by.',
  dimension_side: 'A dimension has a row a member, whatever the facts have. Its column added up by itself counts every member once.',
  coarse:
    'What the fact has for a whole month stands on one of its days. Shown by days, that one day has all of it, and a share of the other days has nothing to be a share of.',
  lost: 'A product with an empty factor is empty, and a sum passes over what is empty: these rows are in no total, and nothing says so.',
  uneven:
    'A period is compared with another one that does not have rows on the same days: the calendar or the fact begins or ends in one of the two. The difference is one of days, not of business.',
  nested: 'A row that has what its children have together, beside these children, is counted once for itself and once more for them.',
  first:
    'A rank is the place among some rows. Where the rows that a line is placed among are its own alone, or its parts, it is the first of them everywhere.',
  fixed:
    'The value of a let is computed once, where the let stands, under the filters of that place. What changes the filters afterwards does not change it.',
  unmatched: 'Rows whose key is empty or names nothing stand under (unmatched), so that parts add up to totals.',
};

/** The scans that a filter on a table does not reach, one for each table whose rows they add up. */
function missed(scans: Asked['scans'], table: string): Asked['scans'] {
  return scans.filter((s, i) => !(table in s.tables) && scans.findIndex((x) => x.grain === s.grain && !(table in x.tables)) === i);
}

interface Props {
  model: ModelDocument;
  measure: string;
  kind: TruthMark['kind'];
  at?: Coordinate[];
}

export function LensMark({ model, measure, kind, at = [] }: Props) {
  const probe = useProbe((s) => s.probe);
  const release = useProve((s) => s.asOf);
  const grid = useGrid(model, probe ? askedProbe(probe) : null, release);
  const answer = grid.data;
  if (!answer) return <p className="wait">Looking…</p>;
  const ofMeasure = answer.measures.find((m) => m.name === measure);
  const marks = (kind === 'unmatched' ? answer.unmatched : (ofMeasure?.marks ?? [])).filter((m) => m.kind === kind);
  if (marks.length === 0)
    return (
      <>
        <h2>{MARK_WORDS[kind]}</h2>
        <p className="quiet">This is no longer so for anything in the open probe.</p>
      </>
    );
  return (
    <>
      <h2>{MARK_WORDS[kind]}</h2>
      {measure && <p className="measure-ink">{nameText(measure)}</p>}
      <p className="quiet">{MEANS[kind]}</p>
      {marks.map((mark) => (
        <section key={mark.sentence}>
          <p>
            <b>{mark.sentence}</b>
          </p>
          {(kind === 'unreached' || kind === 'partly') && ofMeasure && <Unreached model={model} measure={ofMeasure} tables={mark.tables} />}
          {mark.links.length > 0 && (
            <p>
              Over{' '}
              {mark.links.map((name) => (
                <button key={name} type="button" className="plain" onClick={() => actions.select({ kind: 'link', name })}>
                  <u>{name}</u>&nbsp;
                </button>
              ))}
            </p>
          )}
          {mark.mends.length > 0 && <h3>What would mend it</h3>}
          {mark.mends.length > 0 && probe && ofMeasure && <Mends model={model} probe={probe} measure={ofMeasure} at={at} mark={mark} />}
          {mark.cells.length > 0 && ofMeasure && <Cells answer={answer} measure={ofMeasure} mark={mark} />}
          {mark.columns.length > 0 && mark.cells.length === 0 && <p className="quiet">About {mark.columns.map(columnName).join(', ')}.</p>}
        </section>
      ))}
    </>
  );
}

/** Why filters on these tables do not reach what the measure adds up, each with the links that stop them. */
function Unreached({ model, measure, tables }: { model: ModelDocument; measure: Asked; tables: string[] }) {
  return tables.map((table) =>
    missed(measure.scans, table).map((scan) => (
      <div key={`${table} ${scan.grain}`}>
        <h3>
          Why does {table} not reach {scan.grain}?
        </h3>
        <OpeningLine
          model={model}
          from={table}
          to={scan.grain}
          measure={model.measures.some((m) => m.name === measure.name) ? measure.name : null}
        />
      </div>
    )),
  );
}

/** The cells a mark is about, the first few; each leads to itself. */
function Cells({ answer, measure, mark }: { answer: GridAnswer; measure: Asked; mark: TruthMark }) {
  const apart = mark.kind === 'apart';
  const values = answer.values[answer.measures.indexOf(measure)];
  return (
    <>
      <h3>
        {apart
          ? `${counted(mark.cells.length, 'total')} ${mark.cells.length === 1 ? 'is' : 'are'} no sum of the lines below`
          : `${counted(mark.cells.length, 'cell')} where it is so`}
      </h3>
      <table>
        <tbody>
          {mark.cells.slice(0, MOST).map(([r = 0, c = 0]) => {
            const at = coordinates(answer, answer.rows.lines[r] ?? [], answer.columns.lines[c] ?? []);
            return (
              <tr key={`${r} ${c}`}>
                <td>
                  <button type="button" className="plain" onClick={() => actions.select({ kind: 'cell', measure: measure.name, at })}>
                    <u>{at.length ? at.map((x) => memberText(x.member)).join(', ') : 'All'}</u>
                  </button>
                </td>
                <td className="num">{measureText(values?.[r]?.[c], measure.format, measure.dtype)}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {mark.cells.length > MOST && (
        <p className="quiet">
          and {count(mark.cells.length - MOST)} more{apart ? ', each marked so' : ''}
        </p>
      )}
    </>
  );
}

interface MendsProps {
  model: ModelDocument;
  probe: Probe;
  measure: Asked;
  /** The cell at hand; none is the whole. */
  at: Coordinate[];
  mark: TruthMark;
}

/** What would mend a mark, each with the number it gives beside the present one. */
function Mends({ model, probe, measure, at, mark }: MendsProps) {
  const navigate = useNavigate();
  const write = (mend: TruthMark['mends'][number]) => {
    actions.set({ measure: mend.measure, offered: mend, selection: { kind: 'measure', name: mend.measure } });
    void navigate(`/m/${model.id}/measure`);
  };
  /** A formula of the probe's own is changed in the probe, which can be undone there. */
  const rewrite = (mend: TruthMark['mends'][number]) => actions.setProbe({ define: { ...probe.define, [mend.measure]: mend.formula } });
  const values = useMends(model, askedProbe(probe), measure.name, at, mark.mends).data;
  const text = (value: Scalar, dtype: string) => measureText(value, measure.format, dtype) || '(empty)';
  const where = at.length ? at.map((x) => memberText(x.member)).join(', ') : 'the whole';
  return (
    <>
      {mark.mends.map((mend, i) => (
        <div key={mend.formula}>
          <div className="formula-box">{mend.formula}</div>
          {values?.[i] && (
            <p className="mend-value" data-testid="mend-value">
              {values[i].error ? (
                <span className="signal">{values[i].error}</span>
              ) : (
                <>
                  {where}: <b>{text(values[i].now, values[i].dtype)}</b> › <b className="signal">{text(values[i].then, values[i].dtype)}</b>
                </>
              )}
            </p>
          )}
          {mend.own ? (
            <button type="button" className="pill small" onClick={() => rewrite(mend)}>
              Write {nameText(mend.measure).toLowerCase()} so in this probe
            </button>
          ) : (
            <button type="button" className="pill small" onClick={() => write(mend)}>
              Look at it in {nameText(mend.measure).toLowerCase()}
            </button>
          )}
        </div>
      ))}
    </>
  );
}
