"""Models as the store keeps them, read back: what an older version let through is put right, and told."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from nexorem.core.diagnostics import refuse
from nexorem.core.fits import mended
from nexorem.core.model.model import Model, model_from_json
from nexorem.core.model.specs import Damage
from nexorem.package.forms import MODEL

KINDS = {
    "tables": "table",
    "links": "link",
    "measures": "measure",
    "probes": "probe",
    "folios": "folio",
    "hierarchies": "hierarchy",
    "checks": "check",
    "clearances": "clearance",
}


def read_document(document: Mapping[str, Any]) -> Model:
    """The model of a stored document. Parts that fit no type are left out, or become texts, and stand in the model's `damage`."""
    content, changes = mended(MODEL, document)
    if content is None:
        raise refuse("broken_model", "What the store holds for this model is not a model.", "Restore it from a package or a backup.")
    model = model_from_json(
        {"probes": [], "hierarchies": [], "checks": [], "measures": [], "links": [], "tables": [], "places": {}, **content}
    )
    if not changes:
        return model
    return replace(model, damage=(*model.damage, *(_damage(document, change) for change in changes)))


def _damage(document: Mapping[str, Any], change: Mapping[str, str]) -> Damage:
    """A change as the model tells it: the thing it is about by its name, the part of it, and what stood there."""
    first, *rest = change["place"].split(".")
    kind, items = KINDS.get(first, first), document.get(first)
    if not rest or not isinstance(items, list):
        return Damage(f"{kind} {rest[0]}" if rest else "the model", ".".join(rest[1:]) or first, change["was"])
    item = items[int(rest[0])] if int(rest[0]) < len(items) else {}
    name = item.get("name") if isinstance(item, Mapping) else None
    return Damage(f"{kind} {name or rest[0]}", ".".join(rest[1:]), change["was"])
