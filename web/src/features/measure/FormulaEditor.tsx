// The formula editor: CodeMirror with our words; completion, help and definitions come from the core, errors stand where they are.
import { autocompletion, closeBrackets, completionKeymap } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { bracketMatching } from '@codemirror/language';
import { setDiagnostics, type Diagnostic } from '@codemirror/lint';
import { EditorState, type Extension } from '@codemirror/state';
import { EditorView, keymap, lineNumbers, placeholder, type KeyBinding } from '@codemirror/view';
import { useEffect, useRef, type RefObject } from 'react';
import { toUtf16, type ErrorItem, type ModelDocument } from '../../api/client';
import { useLanguage } from '../../api/queries';
import { quotedName } from '../../shared/format';
import { writeOn } from './drafts';
import { completing, goTo, helping, type Asking } from './formulaAsk';
import { addKeywords, coloured } from './formulaLanguage';

interface Props extends Asking {
  value: string;
  errors: ErrorItem[];
}

/** What could be written in this model: a sum, and a measure under other filters. */
function example(model: ModelDocument): string {
  const fact = model.tables.find((t) => t.name === model.matrix.facts[0]);
  const added = fact?.columns.find((c) => ['integer', 'number'].includes(c.dtype) && !c.hidden);
  const dimension = model.tables.find((t) => t.role === 'dimension');
  const sum = fact && added ? `sum(${quotedName(fact.name)}.${quotedName(added.name)})` : 'sum(Table.column)';
  const [first] = model.measures;
  return first && dimension
    ? `${sum}, or a measure under other filters: ${quotedName(first.name)} given (clear ${quotedName(dimension.name)})`
    : sum;
}

function keysOf(now: () => Asking): KeyBinding[] {
  const run = () => {
    now().onSave();
    return true;
  };
  const go = (uses: boolean) => (editor: EditorView) => goTo(now, editor, editor.state.selection.main.head, uses);
  return [
    { key: 'Mod-s', run, preventDefault: true },
    { key: 'Mod-Enter', run },
    { key: 'F12', run: go(false), preventDefault: true },
    { key: 'Shift-F12', run: go(true), preventDefault: true },
    ...completionKeymap,
    ...defaultKeymap,
    ...historyKeymap,
  ];
}

function extensionsOf(now: () => Asking): Extension[] {
  return [
    lineNumbers(),
    history(),
    bracketMatching(),
    closeBrackets(),
    coloured,
    EditorView.lineWrapping,
    helping(now),
    placeholder(example(now().model)),
    autocompletion({ override: [completing(now)], icons: false, activateOnTypingDelay: 60 }),
    keymap.of(keysOf(now)),
    EditorView.domEventHandlers({
      mousedown: (event, editor) => {
        const at = event.ctrlKey || event.metaKey ? editor.posAtCoords({ x: event.clientX, y: event.clientY }) : null;
        return at !== null && goTo(now, editor, at, false);
      },
    }),
    EditorView.contentAttributes.of({ 'aria-label': 'Formula' }),
    EditorView.updateListener.of((update) => update.docChanged && now().onChange(update.state.doc.toString())),
  ];
}

function diagnosticsOf(errors: ErrorItem[], value: string, length: number): Diagnostic[] {
  return errors.map((e) => {
    const from = Math.min(toUtf16(value, e.start), length);
    const to = Math.min(Math.max(toUtf16(value, e.end), from + 1), length);
    return { from: Math.min(from, to), to, severity: 'error', message: e.message, markClass: 'cm-wrong' };
  });
}

/** Texts and errors that come from elsewhere are put into the editor. */
function useContent(view: RefObject<EditorView | null>, value: string, errors: ErrorItem[]): void {
  useEffect(() => {
    const made = view.current;
    if (made && made.state.doc.toString() !== value) made.dispatch({ changes: { from: 0, to: made.state.doc.length, insert: value } });
  }, [view, value]);
  useEffect(() => {
    const made = view.current;
    if (made) made.dispatch(setDiagnostics(made.state, diagnosticsOf(errors, value, made.state.doc.length)));
  }, [view, errors, value]);
}

export function FormulaEditor({ model, name, value, errors, onChange, onSave, onGo }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView | null>(null);
  const words = useLanguage();
  const latest = useRef({ onChange, onSave, onGo, model, name });
  useEffect(() => {
    latest.current = { onChange, onSave, onGo, model, name };
  });
  useEffect(() => addKeywords(words.data ?? []), [words.data]);
  useEffect(() => {
    if (!host.current) return undefined;
    const state = EditorState.create({ doc: value, extensions: extensionsOf(() => latest.current) });
    const made = new EditorView({ parent: host.current, state });
    view.current = made;
    writeOn('formula', name, made);
    return () => made.destroy();
    // The editor is made once a measure (its key); later texts come in below.
    // oxlint-disable-next-line react/exhaustive-deps
  }, []);
  useContent(view, value, errors);
  return <div className="editor" ref={host} />;
}
