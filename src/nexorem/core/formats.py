"""Number patterns of UTS #35: checked, and applied."""

from __future__ import annotations

from babel.numbers import NumberPattern, parse_pattern

from nexorem.core.values import Value


def pattern_fault(text: str) -> str:
    """What keeps a text from being a number pattern, in a sentence; `` where it is one."""
    if not text:
        return ""
    if text.count("'") % 2:
        return f"{text!r} is not a number pattern: a quote is not closed."
    try:
        pattern: NumberPattern = parse_pattern(text)
        pattern.apply(1234.5, "en")
    except (ValueError, AttributeError, IndexError, TypeError) as error:
        return f"{text!r} is not a number pattern: {error}."
    if not any(c in text for c in "0#@"):
        return f"{text!r} is not a number pattern: it has no digit, 0 or #."
    return ""


def format_value(value: Value, pattern: str) -> str:
    """A number as its measure's pattern writes it; without a pattern, grouped, and with two digits of a fraction."""
    if value is None:
        return ""
    if isinstance(value, bool) or not isinstance(value, int | float):
        return str(value)
    usual = "#,##0.00" if isinstance(value, float) else "#,##0"
    number_pattern: NumberPattern = parse_pattern(pattern or usual)
    return str(number_pattern.apply(value, "en"))
