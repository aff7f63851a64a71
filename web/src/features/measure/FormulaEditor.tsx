// The formula editor: CodeMirror with our words; completion, help and definitions come from the core, errors stand where they are.
import { autocompletion, closeBrackets, completionKeymap, type CompletionContext, type CompletionResult } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { HighlightStyle, StreamLanguage, bracketMatching, syntaxHighlighting } from '@codemirror/language';
import { setDiagnostics, type Diagnostic } from '@codemirror/lint';
import { EditorState } from '@codemirror/state';
import { EditorView, hoverTooltip, keymap, lineNumbers, placeholder } from '@codemirror/view';
import { tags } from '@lezer/highlight';
import { useEffect, useRef } from 'react';
import { client, problemOf, toUtf16, unwrap, type ErrorItem, type ModelDocument } from '../../api/client';
import { useLanguage } from '../../api/queries';
import { actions } from '../../app/shown';
import { quotedName } from '../../shared/format';
import { writeOn } from './drafts';

const KEYWORDS = new Set(
  'given set keep clear via but wide into all where distinct and or not case when then else end is in between like null true false from as date timestamp interval escape link'.split(
    ' ',
  ),
);

/** Only colours: what a formula means is the server's to say. */
const colours = StreamLanguage.define<{ comment: boolean }>({
  startState: () => ({ comment: false }),
  token(stream, state) {
    if (state.comment) {
      if (stream.skipTo('*/')) {
        stream.match('*/');
        state.comment = false;
      } else stream.skipToEnd();
      return 'comment';
    }
    if (stream.match('--')) {
      stream.skipToEnd();
      return 'comment';
    }
    if (stream.match('/*')) {
      state.comment = true;
      return 'comment';
    }
    if (stream.match(/^'(?:[^']|'')*'?/)) return 'string';
    if (stream.match(/^(?:"(?:[^"]|"")*"|[\p{L}_][\p{L}\p{N}_]*)\.(?:"(?:[^"]|"")*"|[\p{L}_][\p{L}\p{N}_]*)/u)) return 'propertyName';
    const word = stream.match(/^[\p{L}_][\p{L}\p{N}_]*/u) as RegExpMatchArray | null;
    if (word) return KEYWORDS.has(word[0].toLowerCase()) ? 'keyword' : stream.peek() === '(' ? null : 'variableName';
    stream.next();
    return null;
  },
});

const inks = HighlightStyle.define([
  { tag: tags.keyword, class: 'tok-keyword' },
  { tag: tags.propertyName, class: 'tok-column' },
  { tag: tags.variableName, class: 'tok-name' },
  { tag: tags.comment, class: 'tok-comment' },
  { tag: tags.string, class: 'tok-string' },
]);

interface Props {
  model: ModelDocument;
  /** The name the formula has or will have. */
  name: string;
  value: string;
  errors: ErrorItem[];
  onChange: (text: string) => void;
  onSave: () => void;
  /** To where something is defined, or to everywhere it is named. */
  onGo: (kind: string, name: string, uses: boolean) => void;
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

/** A place in the browser's counting as the server counts it. */
const toPoints = (text: string, at: number) => Array.from(text.slice(0, at)).length;

export function FormulaEditor({ model, name, value, errors, onChange, onSave, onGo }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView | null>(null);
  const words = useLanguage();
  const latest = useRef({ onChange, onSave, onGo, model, name });
  useEffect(() => {
    latest.current = { onChange, onSave, onGo, model, name };
  });
  useEffect(() => {
    for (const word of words.data ?? []) if (word.kind === 'edit' || word.kind === 'rows') KEYWORDS.add(word.name.toLowerCase());
  }, [words.data]);
  useEffect(() => {
    if (!host.current) return undefined;
    const path = () => ({ path: { model_id: latest.current.model.id } });
    const complete = async (context: CompletionContext): Promise<CompletionResult | null> => {
      const word = context.matchBefore(/[\p{L}\p{N}_]+|\./u);
      if (!word && !context.explicit) return null;
      const text = context.state.doc.toString();
      const told = unwrap(
        await client.POST('/api/models/{model_id}/completion', {
          params: path(),
          body: { formula: text, at: toPoints(text, context.pos) },
        }),
      );
      if (context.aborted || told.items.length === 0) return null;
      return {
        from: toUtf16(text, told.start),
        to: toUtf16(text, told.end),
        filter: false,
        options: told.items.slice(0, 60).map((i) => ({ label: i.label, apply: i.insert, type: i.kind, detail: i.kind, info: i.detail })),
      };
    };
    const help = hoverTooltip(async (editor, at) => {
      const text = editor.state.doc.toString();
      const told = unwrap(
        await client.POST('/api/models/{model_id}/hover', { params: path(), body: { formula: text, at: toPoints(text, at) } }),
      );
      if (!told.title) return null;
      return {
        pos: toUtf16(text, told.start),
        end: toUtf16(text, told.end),
        above: true,
        create: () => {
          const dom = document.createElement('div');
          dom.className = 'formula-help';
          const title = dom.appendChild(document.createElement('b'));
          title.textContent = told.title;
          const body = dom.appendChild(document.createElement('p'));
          body.textContent = told.text;
          return { dom };
        },
      };
    });
    const go = (editor: EditorView, at: number, uses: boolean) => {
      const text = editor.state.doc.toString();
      const body = { name: latest.current.name || 'new measure', formula: text, at: toPoints(text, at) };
      void client
        .POST('/api/models/{model_id}/definition', { params: path(), body })
        .then((answer) => {
          const found = unwrap(answer);
          if (found.kind) latest.current.onGo(found.kind, found.name, uses);
        })
        .catch((error: unknown) => actions.say({ problem: problemOf(error), retry: null }));
      return true;
    };
    const save = () => {
      latest.current.onSave();
      return true;
    };
    const made = new EditorView({
      parent: host.current,
      state: EditorState.create({
        doc: value,
        extensions: [
          lineNumbers(),
          history(),
          bracketMatching(),
          closeBrackets(),
          colours,
          syntaxHighlighting(inks),
          EditorView.lineWrapping,
          help,
          placeholder(example(model)),
          autocompletion({ override: [complete], icons: false, activateOnTypingDelay: 60 }),
          keymap.of([
            { key: 'Mod-s', run: save, preventDefault: true },
            { key: 'Mod-Enter', run: save },
            { key: 'F12', run: (editor) => go(editor, editor.state.selection.main.head, false), preventDefault: true },
            { key: 'Shift-F12', run: (editor) => go(editor, editor.state.selection.main.head, true), preventDefault: true },
            ...completionKeymap,
            ...defaultKeymap,
            ...historyKeymap,
          ]),
          EditorView.domEventHandlers({
            mousedown: (event, editor) => {
              const at = event.ctrlKey || event.metaKey ? editor.posAtCoords({ x: event.clientX, y: event.clientY }) : null;
              return at !== null && go(editor, at, false);
            },
          }),
          EditorView.contentAttributes.of({ 'aria-label': 'Formula' }),
          EditorView.updateListener.of((update) => update.docChanged && latest.current.onChange(update.state.doc.toString())),
        ],
      }),
    });
    view.current = made;
    writeOn('formula', name, made);
    return () => made.destroy();
    // The editor is made once a measure (its key); later texts come in below.
    // oxlint-disable-next-line react/exhaustive-deps
  }, []);
  useEffect(() => {
    const made = view.current;
    if (made && made.state.doc.toString() !== value) made.dispatch({ changes: { from: 0, to: made.state.doc.length, insert: value } });
  }, [value]);
  useEffect(() => {
    const made = view.current;
    if (!made) return;
    const length = made.state.doc.length;
    const found: Diagnostic[] = errors.map((e) => {
      const from = Math.min(toUtf16(value, e.start), length);
      const to = Math.min(Math.max(toUtf16(value, e.end), from + 1), length);
      return { from: Math.min(from, to), to, severity: 'error', message: e.message, markClass: 'cm-wrong' };
    });
    made.dispatch(setDiagnostics(made.state, found));
  }, [errors, value]);
  return <div className="editor" ref={host} />;
}
