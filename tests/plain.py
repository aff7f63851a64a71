"""The core's answers as the JSON that they are sent as (formats.md), for tests that look at what a caller is told."""

import functools

from nexorem.core.design import change, hold, matrix, roles, suggest, truth
from nexorem.core.design import comparisons as counterparts
from nexorem.core.design import opening as ways
from nexorem.core.engine import explain
from nexorem.core.engine import profile as profiles
from nexorem.core.engine import trace as traces
from nexorem.core.language import assist, uses
from nexorem.core.language import vocabulary as words
from nexorem.core.lint import findings as lint
from nexorem.core.plan import reach as reaching
from nexorem.core.results import as_json


def plain(function):
    """The function with its result as JSON."""

    @functools.wraps(function)
    def called(*args, **kwargs):
        return as_json(function(*args, **kwargs))

    return called


trace, trace_rows = plain(traces.trace), plain(traces.trace_rows)
explained, profile = plain(explain.explained), plain(profiles.profile)
complete, hover, uses_of, vocabulary = plain(assist.complete), plain(assist.hover), plain(uses.uses_of), plain(words.vocabulary)
findings = plain(lint.findings)
reach, reaches, reach_after = plain(reaching.reach), plain(reaching.reaches), plain(reaching.reach_after)
blocked, current, first_stop = plain(reaching.blocked), plain(reaching.current), plain(reaching.first_stop)
opening, reach_of, reach_change = plain(ways.opening), plain(ways.reach_of), plain(change.reach_change)
held_measure, held_given = plain(hold.held_measure), plain(hold.held_given)
bus_matrix, grain_test, hierarchy_faults = plain(matrix.bus_matrix), plain(roles.grain_test), plain(roles.hierarchy_faults)
suggestions, comparisons = plain(suggest.suggestions), plain(counterparts.comparisons)
looked_at, marks, unmatched_marks = plain(truth.looked_at), plain(truth.marks), plain(truth.unmatched_marks)
