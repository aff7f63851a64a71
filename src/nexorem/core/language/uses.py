"""Where a model names a measure, a column or a table: in formulas, at which place of them, and in probes."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from nexorem.core.diagnostics import OverLimit, Refused, Span, refuse
from nexorem.core.language.binder import Binder
from nexorem.core.language.lexer import Token, tokenize
from nexorem.core.language.names import Named
from nexorem.core.model.check_specs import AddUpMust, CheckSpec, HoldMust, TableMust, TileOf
from nexorem.core.model.edits import Edit
from nexorem.core.model.model import Model, plain
from nexorem.core.model.names import quoted
from nexorem.core.model.proven import Proven
from nexorem.core.model.specs import Clearance, ConditionPick, FolioSpec, MemberPick, PickSpec, ProbeSpec, Tile, spec_json
from nexorem.core.results import Result

Way = tuple[str | int, ...]
Owner = Literal["measure", "column", "table", "probe", "folio", "check", "clearance"]


@dataclass(frozen=True, slots=True)
class Text:
    """A formula of the model. `kind` says what it is a formula of; `key` is the way to it in a probe, folio or check."""

    kind: Owner
    owner: str
    formula: str
    key: Way = ()


def texts_of(model: Model) -> Iterator[Text]:
    """Every formula of a model."""
    for measure in model.measures:
        yield Text("measure", measure.name, measure.formula)
    for table in model.tables:
        if table.formula:
            yield Text("table", table.name, table.formula)
        for column in table.columns:
            if column.formula:
                yield Text("column", f"{table.name}.{column.name}", column.formula)
    for probe in model.probes:
        yield from _probe_texts("probe", probe.name, probe)
    for folio in model.folios:
        yield from _probe_texts("folio", folio.name, folio.shared())
        for place, tile in enumerate(folio.tiles):
            if isinstance(tile.probe, ProbeSpec):
                yield from _probe_texts("folio", folio.name, tile.probe, ("tiles", place, "probe"))
    for check in model.checks:
        yield from _check_texts(check)
    for clearance in model.clearances:
        for place, rule in enumerate(clearance.rules):
            yield Text("clearance", clearance.name, rule, ("rules", place, "where"))


def _check_texts(check: CheckSpec) -> Iterator[Text]:
    if isinstance(check.probe, ProbeSpec):
        yield from _probe_texts("check", check.name, check.probe, ("probe",))
    if isinstance(check.must, HoldMust):
        yield Text("check", check.name, check.must.hold, ("must", "hold"))
    if check.rows is not None:
        yield Text("check", check.name, check.rows, ("rows",))


def _probe_texts(kind: Literal["probe", "folio", "check"], owner: str, probe: ProbeSpec, way: Way = ()) -> Iterator[Text]:
    for name, formula in probe.define.items():
        yield Text(kind, owner, formula, (*way, "define", name))
    for place, pick in enumerate(probe.picks):
        if isinstance(pick, ConditionPick):
            yield Text(kind, owner, pick.where, (*way, "picks", place, "where"))
    for place, item in enumerate(probe.having):
        yield Text(kind, owner, item.where, (*way, "having", place, "where"))


def probe_with(probe: ProbeSpec, formulas: Mapping[Way, str], way: Way = ()) -> ProbeSpec:
    """A probe with other formulas, by the ways to them as `Text` has them."""
    having = (replace(h, where=formulas.get((*way, "having", place, "where"), h.where)) for place, h in enumerate(probe.having))
    define = {name: formulas.get((*way, "define", name), formula) for name, formula in probe.define.items()}
    return replace(probe, define=define, picks=_picks_with(probe.picks, formulas, way), having=tuple(having))


def _picks_with(picks: Sequence[PickSpec], formulas: Mapping[Way, str], way: Way) -> tuple[PickSpec, ...]:
    return tuple(
        replace(p, where=formulas.get((*way, "picks", place, "where"), p.where)) if isinstance(p, ConditionPick) else p
        for place, p in enumerate(picks)
    )


def folio_with(folio: FolioSpec, formulas: Mapping[Way, str]) -> FolioSpec:
    """A folio with other formulas. A tile that does without a condition names it by its text."""
    picks = _picks_with(folio.picks, formulas, ())
    both = zip(folio.picks, picks, strict=True)
    conditions = {a.where: b.where for a, b in both if isinstance(a, ConditionPick) and isinstance(b, ConditionPick)}
    tiles = []
    for place, tile in enumerate(folio.tiles):
        probe = probe_with(tile.probe, formulas, ("tiles", place, "probe")) if isinstance(tile.probe, ProbeSpec) else tile.probe
        tiles.append(replace(tile, probe=probe, without=tuple(conditions.get(x, x) for x in tile.without)))
    return replace(folio, picks=picks, tiles=tuple(tiles))


def asked_by(model: Model, check: CheckSpec) -> ProbeSpec | None:
    """The probe that a check is about, as the model has it; of a folio's tile without the folio's picks."""
    about: str | ProbeSpec | None = check.probe if not isinstance(check.probe, TileOf) else None
    if isinstance(check.probe, TileOf):
        folio = next((x for x in model.folios if x.name.lower() == check.probe.folio.lower()), None)
        about = folio.tiles[check.probe.tile - 1].probe if folio and check.probe.tile <= len(folio.tiles) else None
    return about if isinstance(about, ProbeSpec) or about is None else model.probe(about)


def check_with(check: CheckSpec, formulas: Mapping[Way, str]) -> CheckSpec:
    """A check with other formulas."""
    probe = probe_with(check.probe, formulas, ("probe",)) if isinstance(check.probe, ProbeSpec) else check.probe
    must = check.must
    if isinstance(must, HoldMust):
        must = replace(must, hold=formulas.get(("must", "hold"), must.hold))
    rows = check.rows if check.rows is None else formulas.get(("rows",), check.rows)
    return replace(check, probe=probe, must=must, rows=rows)


def clearance_with(clearance: Clearance, formulas: Mapping[Way, str]) -> Clearance:
    """A clearance with other rules."""
    rules = (formulas.get(("rules", place, "where"), rule) for place, rule in enumerate(clearance.rules))
    return replace(clearance, rules=tuple(rules))


def bind_text(star: Proven, binder: Binder, text: Text) -> None:
    """Binds a formula as what it is: a measure, a computed table or column, one of a probe's own, or a condition of its page."""
    if text.kind == "measure":
        binder.measure(text.owner)
    elif text.kind == "table":
        binder.computed_table(text.owner, text.formula)
    elif text.kind == "column":
        binder.computed_column(*owner_of(star, text.owner), text.formula)
    elif text.key == ("must", "hold"):
        binder.measure("hold")
    elif text.key == ("rows",):
        binder.computed_table("rows", text.formula)
    elif text.key[-2] == "define":
        binder.measure(str(text.key[-1]))
    elif text.key[-3] == "having":
        binder.having(text.formula)
    else:
        binder.page_condition(text.formula)


def named_in(star: Proven, text: Text, define: Mapping[str, str] | None = None) -> list[Named]:
    """Everything a formula names, in its order, each place once. What cannot be bound is read by its words."""
    binder, whole = Binder(star, define), True
    try:
        bind_text(star, binder, text)
    except OverLimit:
        return []
    except Refused:
        whole = False
    place = str(text.key[-1]) if text.key else text.owner  # of a condition: where
    names = {n for n in binder.named if n.place.lower() == place.lower()}
    more = set() if whole else _by_words(star, text.formula, {(n.start, n.end) for n in names})
    return sorted(names | more, key=lambda n: n.start)


def owner_of(star: Proven, owner: str) -> tuple[str, str]:
    """The table and name of a computed column, as `Text` writes its owner; either may have a dot."""
    table, _, column = owner.partition(".")
    named = ((x.name, c.name) for x in star.model.tables for c in x.columns if f"{x.name}.{c.name}" == owner)
    return next(named, (table, column))


def _by_words(star: Proven, formula: str, spans: set[tuple[int, int]]) -> set[Named]:
    """Measures that stand in a formula which could not be bound to its end: bare names that nothing else explains."""
    tokens, _ = tokenize(formula)
    names = set()
    for i, token in enumerate(tokens):
        around = {tokens[i - 1].text if i else "", tokens[i + 1].text if i + 1 < len(tokens) else ""}
        measure = star.model.measure(token.text) if token.kind in ("name", "quoted") and "." not in around else None
        if measure and (token.span.start, token.span.end) not in spans:
            names.add(Named("", "measure", measure.name, token.span.start, token.span.end))
    return names


@dataclass(frozen=True, slots=True)
class Use(Result):
    """A place that names something: whose it is, and where in its formula (code points; none for the lists of a probe)."""

    kind: Owner
    owner: str
    formula: str = ""
    start: int = 0
    end: int = 0


def uses_of(star: Proven, kind: str, name: str) -> list[Use]:
    """Every place that names a measure, column (`Table.column`) or table."""
    uses: list[Use] = []
    for text in texts_of(star.model):
        define = defined_beside(star.model, text)
        for n in named_in(star, text, define):
            if (n.kind, n.name.lower()) == (kind, name.lower()):
                uses.append(Use(text.kind, text.owner, text.formula, n.start, n.end))
    for probe in star.model.probes:
        if _lists(probe, kind, name):
            uses.append(Use("probe", probe.name))
    for folio in star.model.folios:
        if any(_lists(probe, kind, name) for probe in (folio.shared(), *folio.own_probes())):
            uses.append(Use("folio", folio.name))
    for check in star.model.checks:
        if name.lower() in (x.replace('"', "").lower() for x in listed_in(star.model, check, kind)):
            uses.append(Use("check", check.name))
    return uses


def listed_in(model: Model, check: CheckSpec, kind: str) -> list[str]:
    """The measures or the columns that a check names outside of its formulas, as they are written."""
    listed = list[str]()
    if isinstance(check.probe, ProbeSpec):
        listed += check.probe.measures if kind == "measure" else columns_of(check.probe) if kind == "column" else ()
    if isinstance(check.must, TableMust):
        measures = {m.name.lower() for m in model.measures}
        listed += [x for x in check.must.table.columns if (x.lower() in measures) == (kind == "measure")]
    if isinstance(check.must, AddUpMust) and kind == "column":
        listed += check.must.add_up
    return listed


def _lists(probe: ProbeSpec, kind: str, name: str) -> bool:
    """Whether a probe names a measure or a column outside of its formulas."""
    listed = probe.measures if kind == "measure" else columns_of(probe) if kind == "column" else ()
    return name.lower() in (x.replace('"', "").lower() for x in listed)


def columns_of(probe: ProbeSpec) -> list[str]:
    """The columns that a probe's axes and picks name, as they are written."""
    return [*probe.rows, *probe.columns, *(p.column for p in probe.picks if isinstance(p, MemberPick))]


def defined_beside(model: Model, text: Text) -> Mapping[str, str]:
    """The formulas of the probe that a text stands in."""
    if text.kind == "probe":
        return next((p.define for p in model.probes if p.name == text.owner), {})
    if text.kind == "folio" and text.key[0] == "tiles":
        folio = next(x for x in model.folios if x.name == text.owner)
        probe = folio.tiles[int(text.key[1])].probe
        return probe.define if isinstance(probe, ProbeSpec) else {}
    if text.kind == "check":
        check = next(c for c in model.checks if c.name == text.owner)
        probe = asked_by(model, check)
        define = probe.define if probe else {}
        return {**define, "hold": text.formula} if text.key == ("must", "hold") else define
    return {}


def renaming(star: Proven, name: str, to: str) -> list[Edit]:
    """The edits that give a measure another name everywhere it is named; refuses where the new name would mean something else there."""
    measure = star.model.measure(name)
    if measure is None:
        raise refuse("unknown_measure", f"The measure {name} no longer exists.")
    to = to.strip()
    taken = star.model.measure(to)
    if not to:
        raise refuse("bad_name", "A measure needs a name.")
    if taken and taken is not measure:
        raise refuse("repeated_name", f"There is already a measure {taken.name}.", "Choose another name.", to)
    edits = [{"kind": "change_measure", "name": measure.name, "set": {"name": to}}, *replacing(star, measure.name, to)]
    return edits + [
        {"kind": "change_measure", "name": m.name if m is not measure else to, "set": {"variant_of": to}}
        for m in star.model.measures
        if m.variant_of.lower() == measure.name.lower()
    ]


def replacing(star: Proven, name: str, to: str) -> list[Edit]:
    """The edits that put the measure `to` in every place that names the measure `name`. After the first edit of `renaming` they find the
    measure itself under its new name."""
    model = star.model
    edits: list[Edit] = []
    columns: dict[str, dict[str, str]] = {}
    written_anew: dict[tuple[str, str], dict[Way, str]] = {}
    for text in texts_of(model):
        named = named_in(star, text, defined_beside(model, text))
        spans = [(n.start, n.end) for n in named if n.kind == "measure" and n.name.lower() == name.lower()]
        if not spans:
            continue
        _check_free(text, spans, to)
        formula = written(text.formula, spans, quoted(to))
        if text.kind == "measure":
            owner = to if text.owner.lower() == name.lower() else text.owner
            edits.append({"kind": "change_measure", "name": owner, "set": {"formula": formula}})
        elif text.kind == "table":
            edits.append({"kind": "change_table", "name": text.owner, "set": {"formula": formula}})
        elif text.kind == "column":
            table, column = owner_of(star, text.owner)
            columns.setdefault(table, {})[column] = formula
        else:
            written_anew.setdefault((text.kind, text.owner), {})[text.key] = formula
    edits += [_with_formulas(model, owner, formulas) for owner, formulas in columns.items()]
    for probe in model.probes:
        changed = _renamed_lists(probe_with(probe, written_anew.get(("probe", probe.name), {})), name, to)
        if changed != probe:
            edits.append({"kind": "put_probe", "probe": spec_json(changed)})
    for folio in model.folios:
        anew = folio_with(folio, written_anew.get(("folio", folio.name), {}))
        anew = replace(anew, tiles=tuple(_renamed_tile(t, name, to) for t in anew.tiles))
        if anew != folio:
            edits.append({"kind": "put_folio", "folio": spec_json(anew)})
    for check in model.checks:
        mended = _renamed_check(model, check_with(check, written_anew.get(("check", check.name), {})), name, to)
        if mended != check:
            edits.append({"kind": "put_check", "check": spec_json(mended)})
    return edits


def _with_formulas(model: Model, owner: str, formulas: Mapping[str, str]) -> Edit:
    """The edit that gives computed columns of a table other formulas."""
    table = model.table(owner)
    assert table
    columns = [plain(c) | {"name": c.name, "dtype": c.dtype} for c in table.columns]
    columns = [c | {"formula": formulas[c["name"]]} if c["name"] in formulas else c for c in columns]
    return {"kind": "change_table", "name": table.name, "set": {"columns": columns}}


def _check_free(text: Text, spans: list[tuple[int, int]], to: str) -> None:
    """Refuses where a formula has a name of its own that the new one would be taken for."""
    tokens, _ = tokenize(text.formula)
    for i, token in enumerate(tokens):
        dotted = "." in (tokens[i - 1].text if i else "", tokens[i + 1].text if i + 1 < len(tokens) else "")
        if _is_name(token, to) and not dotted and (token.span.start, token.span.end) not in spans:
            raise refuse(
                "name_in_use",
                f"In {text.owner} the name {to} means something else: {text.formula[token.span.start : token.span.end]}.",
                "Choose another name, or rename what stands there.",
                text.owner,
            )


def _is_name(token: Token, name: str) -> bool:
    return token.kind in ("name", "quoted") and token.text.lower() == name.lower()


def written(formula: str, spans: list[tuple[int, int]], word: str) -> str:
    """A formula with a word at some places of it; all else, comments too, as it was."""
    for start, end in sorted(spans, reverse=True):
        formula = formula[:start] + word + formula[end:]
    return formula


def _renamed_lists(probe: ProbeSpec, name: str, to: str) -> ProbeSpec:
    """A probe whose measures, order and look name the measure anew."""

    def new(x: str) -> str:
        return to if x.lower() == name.lower() else x

    if any(k.lower() == name.lower() for k in probe.define):
        return probe  # a formula of its own goes by that name here
    look = probe.look
    if look:
        formats = {new(k): v for k, v in look.formats.items()}
        shade, bars, folded, pinned = (tuple(map(new, x)) for x in (look.shade, look.bars, look.folded, look.pinned))
        look = replace(look, formats=formats, shade=shade, bars=bars, folded=folded, pinned=pinned)
    return replace(
        probe,
        measures=tuple(dict.fromkeys(map(new, probe.measures))),
        sort=tuple(replace(x, by=new(x.by)) for x in probe.sort),
        top=replace(probe.top, by=new(probe.top.by)) if probe.top else None,
        look=look,
    )


def _renamed_tile(tile: Tile, name: str, to: str) -> Tile:
    """A tile whose probe, and what its number is held against, name the measure anew."""
    if not isinstance(tile.probe, ProbeSpec):
        return tile
    probe = _renamed_lists(tile.probe, name, to)
    against = to if probe != tile.probe and tile.against.lower() == name.lower() else tile.against
    return replace(tile, probe=probe, against=against)


def _renamed_check(model: Model, check: CheckSpec, name: str, to: str) -> CheckSpec:
    """A check whose probe, table and subject name the measure anew."""
    probe, must = check.probe, check.must
    if isinstance(probe, ProbeSpec):
        probe = _renamed_lists(probe, name, to)
    asked = asked_by(model, check)
    own = asked is not None and any(k.lower() == name.lower() for k in asked.define)
    if isinstance(must, TableMust) and not own:
        columns = tuple(to if x.lower() == name.lower() else x for x in must.table.columns)
        must = replace(must, table=replace(must.table, columns=columns))
    about = f"measure {to}" if (check.about or "").lower() == f"measure {name}".lower() else check.about
    return replace(check, probe=probe, must=must, about=about)


def named_at(star: Proven, name: str, formula: str, at: int) -> Named | None:
    """What stands at a place of a formula that is being written, for going to where it is defined."""
    names = named_in(star, Text("probe", "", formula, ("define", name)), {name: formula})
    return next((n for n in names if Span(n.start, n.end).start <= at <= n.end), None)
