// Link: the bus matrix and the star, two views of one thing; and a variant of the model beside it.
import { Suspense, lazy, useEffect } from 'react';
import type { ModelDocument } from '../../api/client';
import { counted } from '../../shared/format';
import { actions, onScreen } from '../../app/shown';
import { useLink } from './store';
import { FindingLine, findingKey, openFindings, useShowAbout } from '../prove/FindingLine';
import { askNew } from './edits';
import { LinkBar } from './LinkBar';
import { Matrix } from './Matrix';
import { useVariant } from './requests';
import { Star } from './Star';

const Suggestions = lazy(() => import('./Suggestions').then((m) => ({ default: m.Suggestions })));
const LinkSheet = lazy(() => import('./LinkSheet').then((m) => ({ default: m.LinkSheet })));
const VariantPane = lazy(() => import('./VariantPane').then((m) => ({ default: m.VariantPane })));

export function LinkStage({ model }: { model: ModelDocument }) {
  const chosen = useLink((s) => s.fact);
  const view = useLink((s) => s.linkView);
  const variant = useLink((s) => s.variant);
  const tried = useVariant(model, variant);
  const show = useShowAbout(model);
  useLinkKeys();
  const shown = variant?.length && tried.data ? tried.data : model;
  const facts = shown.matrix.facts;
  const fact = facts.find((f) => f === chosen) ?? facts[0] ?? shown.tables[0]?.name ?? '';
  const findings = openFindings(shown).filter((f) => !f.about.startsWith('measure '));
  return (
    <div className={`link-bench view-${view} ${variant ? 'with-variant' : ''}`}>
      <LinkBar model={shown} />
      {view !== 'star' && (
        <div className="link-left" data-region>
          <div className="row" style={{ justifyContent: 'space-between' }}>
            <h2>Who filters whom{variant ? ', in the variant' : ''}</h2>
            <span className="quiet">
              {counted(facts.length, 'fact')}, {counted(shown.matrix.dimensions.length, 'dimension')}
            </span>
          </div>
          <Matrix model={shown} fact={fact} />
          {!model.cleared && (
            <Suspense>
              <Suggestions model={model} />
            </Suspense>
          )}
          <h2 style={{ borderTop: '1px solid var(--line)', paddingTop: 12 }}>Worth a look</h2>
          {findings.map((f) => (
            <FindingLine key={findingKey(f)} finding={f} show={show} />
          ))}
          {findings.length === 0 && <p className="quiet">Nothing was found.</p>}
        </div>
      )}
      {view !== 'matrix' &&
        (fact ? (
          <Star model={shown} fact={fact} tells={variant ? JSON.stringify(variant) : ''} />
        ) : (
          <p className="pad">There are no tables yet. Gather some first.</p>
        ))}
      <Suspense fallback={null}>
        {variant && <VariantPane model={model} shown={shown} edits={variant} error={variant.length ? tried.error : null} />}
        <LinkSheet model={model} shown={shown} />
      </Suspense>
    </div>
  );
}

/** L links, R shows the reach, V changes the view, B puts a variant beside. */
function useLinkKeys() {
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement;
      if (
        event.ctrlKey ||
        event.metaKey ||
        event.altKey ||
        event.defaultPrevented ||
        target.closest('input, textarea, select, [contenteditable="true"], [role="dialog"]')
      )
        return;
      const { reach, linkView, variant } = onScreen();
      const acts: Record<string, () => void> = {
        l: () => askNew(),
        r: () => actions.set({ reach: reach === null ? 'out' : reach === 'out' ? 'in' : null }),
        v: () => actions.set({ linkView: linkView === 'both' ? 'matrix' : linkView === 'matrix' ? 'star' : 'both' }),
        b: () => variant === null && actions.set({ variant: [] }),
      };
      const act = acts[event.key.toLowerCase()];
      if (!act) return;
      event.preventDefault();
      act();
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, []);
}
