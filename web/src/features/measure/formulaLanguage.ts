// The formula's colours; what it means is the server's to say.
import { HighlightStyle, StreamLanguage, syntaxHighlighting } from '@codemirror/language';
import { tags } from '@lezer/highlight';

const KEYWORDS = new Set(
  'given set keep clear via but wide into all where distinct and or not case when then else end is in between like null true false from as date timestamp interval escape link'.split(
    ' ',
  ),
);

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

/** Words of the server's vocabulary are keywords, too. */
export function addKeywords(words: { kind: string; name: string }[]): void {
  for (const word of words) if (word.kind === 'edit' || word.kind === 'rows') KEYWORDS.add(word.name.toLowerCase());
}

export const coloured = [colours, syntaxHighlighting(inks)];
