"""A formula's text as tokens with spans. All lexical errors are found in one pass."""

from __future__ import annotations

import re
from dataclasses import dataclass

from nexorem.core.diagnostics import Diagnostic, Mend, Span
from nexorem.core.limits import DEFAULT_LIMITS, Limits, over

PATTERN = re.compile(
    r"""(?P<space>\s+|--[^\n]*)
      | (?P<comment>/\*)
      | (?P<number>(?:[0-9]+(?:\.[0-9]*)?|\.[0-9]+)(?:[eE][+-]?[0-9]+)?)
      | (?P<string>')
      | (?P<quoted>")
      | (?P<name>[^\W0-9]\w*)
      | (?P<op><>|<=|>=|\|\||[-+*/%=<>(),.])
    """,
    re.VERBOSE,
)
ENDS = {"string": re.compile(r"'((?:[^']|'')*)'"), "quoted": re.compile(r'"((?:[^"]|"")*)"')}
LOOKALIKES = {
    "“": '"',
    "”": '"',
    "‘": "'",
    "’": "'",
    "−": "-",
    "–": "-",
    "×": "*",
    "÷": "/",
    "≤": "<=",
    "≥": ">=",
    "≠": "<>",
    ";": "",
    "[": "(",
    "]": ")",
    "{": "(",
    "}": ")",
}


@dataclass(frozen=True, slots=True)
class Token:
    """One token. `kind` is number, string, quoted, name, op or end; `text` is unquoted for string and quoted."""

    kind: str
    text: str
    span: Span

    def word(self) -> str:
        """The name in small letters, `` for anything else: what keywords are compared with."""
        return self.text.lower() if self.kind == "name" else ""


def tokenize(text: str, limits: Limits = DEFAULT_LIMITS) -> tuple[list[Token], list[Diagnostic]]:
    """The tokens, ended by one of kind `end`, and what could not be read."""
    if len(text) > limits.formula_characters:
        raise over(
            "formula_characters",
            f"The formula has {len(text):,} characters; {limits.formula_characters:,} are allowed.",
            "Split it into several measures.",
            Span(limits.formula_characters, len(text)),
        )
    tokens: list[Token] = []
    wrong: list[Diagnostic] = []
    at = 0
    while at < len(text):
        match = PATTERN.match(text, at)
        if match is None:
            wrong.append(_unknown(text, at))
            at += 1
            continue
        kind = str(match.lastgroup)
        end = match.end()
        if kind == "comment":
            end = text.find("*/", at) + 2
            if end < 2:
                wrong.append(Diagnostic("open_comment", "This comment is never closed.", Span(at, at + 2), hint="Add */ at its end."))
                end = len(text)
        elif kind in ENDS:
            end = _quoted(text, at, kind, tokens, wrong)
        elif kind != "space":
            tokens.append(Token(kind, match.group(), Span(at, end)))
        at = end
    tokens.append(Token("end", "", Span(len(text), len(text))))
    return tokens, wrong


def _quoted(text: str, at: int, kind: str, tokens: list[Token], wrong: list[Diagnostic]) -> int:
    match = ENDS[kind].match(text, at)
    quote = text[at]
    if match is None:
        what = "text" if kind == "string" else "name"
        mend = Mend(f"close the {what}", Span(len(text), len(text)), quote)
        wrong.append(
            Diagnostic("open_quote", f"This {what} is never closed.", Span(at, len(text)), hint=f"Add {quote} at its end.", mends=(mend,))
        )
        return len(text)
    value = match.group(1).replace(quote * 2, quote)
    if kind == "quoted" and not value:
        wrong.append(
            Diagnostic("empty_name", "A name in double quotes is empty.", Span(at, match.end()), hint="Text stands in single quotes.")
        )
    tokens.append(Token(kind, value, Span(at, match.end())))
    return match.end()


def _unknown(text: str, at: int) -> Diagnostic:
    span = Span(at, at + 1)
    better = LOOKALIKES.get(text[at])
    mends = (Mend(f"write {better}" if better else "leave it out", span, better),) if better is not None else ()
    hint = f"Write {better} instead." if better else ""
    return Diagnostic("unknown_character", f"{text[at]!r} means nothing here.", span, hint=hint, mends=mends)
