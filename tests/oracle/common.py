"""What all parts of the oracle share."""

UNMATCHED = "the unmatched member"


class Refusal(Exception):
    """The formula has no meaning here."""


class Filter:
    """Allowed combinations over columns of a table; `columns` None: allowed row numbers. May allow UNMATCHED."""

    def __init__(self, table, columns, allowed):
        self.table, self.columns, self.allowed = table, columns, set(allowed)


def of_member(table, column, value):
    """The filter on one column that lets one member through."""
    return Filter(table, (column,), [UNMATCHED] if value == UNMATCHED else [(value,)])
