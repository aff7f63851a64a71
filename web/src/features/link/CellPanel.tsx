// A chosen cell of the matrix: how the dimension filters the fact, the links between the two, and what can be done with each.
import { useEffect, useRef } from 'react';
import type { LinkInfo, ModelDocument } from '../../api/client';
import { actions } from '../../app/shown';
import { LinkMark, REACH_WORDS } from '../../marks/Marks';
import { askActive, askChange, askNew, askRemove, askSwitch, askTurn, linksBetween } from './edits';
import { cellOf } from './matrixModel';
import { OpeningLine } from './OpeningLine';
import { useSuggestions } from './requests';

export function CellPanel({
  model,
  fact,
  dimension,
  onClose,
}: {
  model: ModelDocument;
  fact: string;
  dimension: string;
  onClose: () => void;
}) {
  const cell = cellOf(model, fact, dimension);
  const links = linksBetween(model, fact, dimension);
  const suggested = (useSuggestions(model).data ?? []).filter((s) => {
    const ends = [s.link.from, s.link.to].map((x) => tableIn(String(Array.isArray(x) ? x[0] : x)));
    return ends.includes(fact) && ends.includes(dimension);
  });
  const panel = useRef<HTMLElement>(null);
  useEffect(() => panel.current?.querySelector<HTMLElement>('button')?.focus({ preventScroll: true }), []);
  const reaches = cell.kind === 'direct' || cell.kind === 'through' || cell.kind === 'loose';
  return (
    <section
      ref={panel}
      className="cell-panel"
      aria-label={`${dimension} and ${fact}`}
      onKeyDown={(e) => {
        if (e.key !== 'Escape') return;
        e.stopPropagation();
        onClose();
      }}
    >
      <div className="row" style={{ justifyContent: 'space-between' }}>
        <h3>
          {dimension} › {fact}
        </h3>
        <button type="button" className="plain" aria-label="Close this cell" onClick={onClose}>
          ✕
        </button>
      </div>
      <p>
        {dimension} {cell.kind === 'inactive' ? 'does not filter' : REACH_WORDS[cell.kind].replace(/ it\b/, '')} <b>{fact}</b>
        {cell.via.length > 0 && (
          <>
            {' '}
            by way of <b>{cell.via.join(', ')}</b>
          </>
        )}
        {reaches && <>, over {cell.path.join(' › ')}</>}
        {cell.kind === 'inactive' && <>: the link is inactive</>}.{cell.two_way && <> {fact} filters it, too.</>}
      </p>
      {cell.gap.length > 0 && (
        <p className="signal">
          ◇ {cell.gap.join(', ')} sets {fact} beside another fact under {dimension}: its number stays the same there.
        </p>
      )}
      {links.map((link) => (
        <PanelLink key={link.name} model={model} link={link} rival={links.some((k) => k.active && k.name !== link.name)} />
      ))}
      {!reaches && <OpeningLine model={model} from={dimension} to={fact} measure={null} />}
      {suggested.map((s) => (
        <div key={s.text} className="panel-link">
          <span className="mono">{s.text}</span>
          <span className="quiet">{s.evidence.sentence}</span>
          <button type="button" className="pill small solid" onClick={() => askNew(listed(s.link.from), listed(s.link.to))}>
            Look and link
          </button>
        </div>
      ))}
      <button type="button" className="pill small" onClick={() => askNew([`${fact}.`], [`${dimension}.`])}>
        New link between them
      </button>
    </section>
  );
}

export const listed = (end: unknown): string[] => (Array.isArray(end) ? (end as string[]) : [String(end)]);

/** The table of a written column. */
export function tableIn(text: string): string {
  const quoted = /^"((?:[^"]|"")*)"\./.exec(text);
  return quoted?.[1] !== undefined ? quoted[1].replaceAll('""', '"') : (text.split('.')[0] ?? '');
}

function PanelLink({ model, link, rival }: { model: ModelDocument; link: LinkInfo; rival: boolean }) {
  return (
    <div className="panel-link">
      <button type="button" className="plain" onClick={() => actions.select({ kind: 'link', name: link.name })}>
        <b>{link.name}</b> <LinkMark link={link} width={52} />
      </button>
      <span className="row">
        {rival && !link.active ? (
          <button type="button" className="pill small" onClick={() => askActive(model, link)}>
            Make it the active one
          </button>
        ) : (
          <button type="button" className="pill small" onClick={() => askSwitch(link)}>
            {link.active ? 'Switch off' : 'Switch on'}
          </button>
        )}
        <button type="button" className="pill small" onClick={() => askTurn(link)}>
          {link.flow === 'one-way' ? 'Both ways' : 'One way'}
        </button>
        <button type="button" className="pill small" onClick={() => askChange(link.name)}>
          Change
        </button>
        <button type="button" className="pill small" onClick={() => askRemove(link.name)}>
          Remove
        </button>
      </span>
    </div>
  );
}
