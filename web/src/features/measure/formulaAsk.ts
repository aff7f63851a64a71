// What the editor asks the core about a place in a formula: what can stand there, what stands there, and where that is defined.
import type { CompletionContext, CompletionResult } from '@codemirror/autocomplete';
import { type EditorView, hoverTooltip } from '@codemirror/view';
import { client, problemOf, toUtf16, unwrap, type ModelDocument } from '../../api/client';
import { actions } from '../../app/shown';

const MOST = 60;

/** What the editor stands for at the moment it asks. */
export interface Asking {
  model: ModelDocument;
  /** The name the formula has or will have. */
  name: string;
  onChange: (text: string) => void;
  onSave: () => void;
  /** To where something is defined, or to everywhere it is named. */
  onGo: (kind: string, name: string, uses: boolean) => void;
}

type Now = () => Asking;

/** A place in the browser's counting as the server counts it. */
const toPoints = (text: string, at: number) => Array.from(text.slice(0, at)).length;

const path = (now: Now) => ({ path: { model_id: now().model.id } });

export const completing =
  (now: Now) =>
  async (context: CompletionContext): Promise<CompletionResult | null> => {
    const word = context.matchBefore(/[\p{L}\p{N}_]+|\./u);
    if (!word && !context.explicit) return null;
    const text = context.state.doc.toString();
    const body = { formula: text, at: toPoints(text, context.pos) };
    // What is not answered helps nobody, and is no reason to disturb who types.
    const { data: completion } = await client.POST('/api/models/{model_id}/completion', { params: path(now), body });
    if (!completion || context.aborted || completion.items.length === 0) return null;
    return {
      from: toUtf16(text, completion.start),
      to: toUtf16(text, completion.end),
      filter: false,
      options: completion.items
        .slice(0, MOST)
        .map((i) => ({ label: i.label, apply: i.insert, type: i.kind, detail: i.kind, info: i.detail })),
    };
  };

function helpBox(title: string, text: string): HTMLElement {
  const box = document.createElement('div');
  box.className = 'formula-help';
  box.appendChild(document.createElement('b')).textContent = title;
  box.appendChild(document.createElement('p')).textContent = text;
  return box;
}

export const helping = (now: Now) =>
  hoverTooltip(async (editor, at) => {
    const text = editor.state.doc.toString();
    const body = { formula: text, at: toPoints(text, at) };
    const { data: hover } = await client.POST('/api/models/{model_id}/hover', { params: path(now), body });
    if (!hover?.title) return null;
    const create = () => ({ dom: helpBox(hover.title, hover.text) });
    return { pos: toUtf16(text, hover.start), end: toUtf16(text, hover.end), above: true, create };
  });

/** Goes to what stands at a place, or to its uses; true, for the key is taken. */
export function goTo(now: Now, editor: EditorView, at: number, uses: boolean): boolean {
  const text = editor.state.doc.toString();
  const body = { name: now().name || 'new measure', formula: text, at: toPoints(text, at) };
  void client
    .POST('/api/models/{model_id}/definition', { params: path(now), body })
    .then((answer) => {
      const defined = unwrap(answer);
      if (defined.kind) now().onGo(defined.kind, defined.name, uses);
    })
    .catch((error: unknown) => actions.say({ problem: problemOf(error), retry: null }));
  return true;
}
