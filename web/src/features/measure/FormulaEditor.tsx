// The formula editor: CodeMirror with our words, completion from the model, and errors where they stand.
import { autocompletion, closeBrackets, completionKeymap, type Completion, type CompletionContext } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { HighlightStyle, StreamLanguage, bracketMatching, syntaxHighlighting } from '@codemirror/language';
import { setDiagnostics, type Diagnostic } from '@codemirror/lint';
import { EditorState } from '@codemirror/state';
import { EditorView, keymap, lineNumbers } from '@codemirror/view';
import { tags } from '@lezer/highlight';
import { useEffect, useRef } from 'react';
import { toUtf16, type ErrorItem, type ModelDocument } from '../../api/client';
import { useLanguage } from '../../api/queries';

const KEYWORDS = new Set(
  'given set keep clear via but wide into all where distinct and or not case when then else end is in between like null true false from as date timestamp interval escape link'.split(' '),
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
  value: string;
  errors: ErrorItem[];
  onChange: (text: string) => void;
  onSave: () => void;
}

export function FormulaEditor({ model, value, errors, onChange, onSave }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView | null>(null);
  const words = useLanguage();
  const latest = useRef({ onChange, onSave, options: [] as Completion[] });
  latest.current.onChange = onChange;
  latest.current.onSave = onSave;
  latest.current.options = [
    ...model.measures.map((m) => ({ label: m.name, type: 'measure', detail: m.description })),
    ...model.tables.flatMap((t) => t.columns.map((c) => ({ label: `${t.name}.${c.name}`, type: 'column', detail: c.dtype }))),
    ...model.tables.map((t) => ({ label: t.name, type: 'table', detail: t.role })),
    ...(words.data ?? []).map((w) => ({ label: w.name, type: w.kind, detail: w.signature, info: w.help })),
  ];
  useEffect(() => {
    if (!host.current) return;
    const complete = (context: CompletionContext) => {
      const word = context.matchBefore(/[\p{L}_][\p{L}\p{N}_.]*/u);
      if (!word && !context.explicit) return null;
      return { from: word?.from ?? context.pos, options: latest.current.options, validFor: /^[\p{L}\p{N}_.]*$/u };
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
          lineNumbers(), history(), bracketMatching(), closeBrackets(), colours, syntaxHighlighting(inks), EditorView.lineWrapping,
          autocompletion({ override: [complete], icons: false }),
          keymap.of([{ key: 'Mod-s', run: save, preventDefault: true }, { key: 'Mod-Enter', run: save }, ...completionKeymap, ...defaultKeymap, ...historyKeymap]),
          EditorView.contentAttributes.of({ 'aria-label': 'Formula' }),
          EditorView.updateListener.of((update) => update.docChanged && latest.current.onChange(update.state.doc.toString())),
        ],
      }),
    });
    view.current = made;
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
