"""Every kind of edit as a type: those that people ask for, and those that a model keeps. Nothing is applied before it fits."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal

from pydantic import ConfigDict, Field, TypeAdapter, create_model

from nexorem.core.diagnostics import Refused, refuse
from nexorem.core.fits import fitted, mended, misfit_diagnostics, unclean
from nexorem.core.model.check_specs import NamedCheck
from nexorem.core.model.edits import KINDS
from nexorem.core.model.specs import FormerName, Name, NamedClearance, NamedFolio, NamedHierarchy, NamedProbe, Place, Text
from nexorem.package.forms import At, CalendarForm, ColumnName, Form, Json, LinkForm, MeasureForm, TableForm, parts_of

Edit = dict[str, Any]
MOST_EDITS = 20_000
_STRICT = ConfigDict(extra="forbid", strict=True, allow_inf_nan=False, populate_by_name=True)

LinkPart: Any = create_model("LinkPart", __config__=_STRICT, **dict(parts_of(LinkForm)))
MeasurePart: Any = create_model("MeasurePart", __config__=_STRICT, **dict(parts_of(MeasureForm)))
TablePart: Any = create_model("TablePart", __config__=_STRICT, **dict(parts_of(TableForm, nullable=True)))


class EditForm(Form):
    """`title` is how undo and history name it, where its own words do not do."""

    title: Text = ""


class AddLink(EditForm):
    kind: Literal["add_link"]
    link: LinkForm
    at: At = None


class ChangeLink(EditForm):
    kind: Literal["change_link"]
    name: Name
    set: LinkPart


class AddMeasure(EditForm):
    kind: Literal["add_measure"]
    measure: MeasureForm
    at: At = None


class ChangeMeasure(EditForm):
    kind: Literal["change_measure"]
    name: Name
    set: MeasurePart


class PutProbe(EditForm):
    kind: Literal["put_probe"]
    probe: NamedProbe
    at: At = None


class PutFolio(EditForm):
    kind: Literal["put_folio"]
    folio: NamedFolio
    at: At = None


class PutHierarchy(EditForm):
    kind: Literal["put_hierarchy"]
    hierarchy: NamedHierarchy
    at: At = None


class PutClearance(EditForm):
    kind: Literal["put_clearance"]
    clearance: NamedClearance
    at: At = None


class PutCheck(EditForm):
    kind: Literal["put_check"]
    check: NamedCheck
    was: Name | None = None
    at: At = None


class Remove(EditForm):
    kind: Literal[
        "remove_link",
        "remove_measure",
        "remove_probe",
        "remove_folio",
        "remove_hierarchy",
        "remove_check",
        "remove_clearance",
        "remove_table",
    ]
    name: Name


class PlaceTables(EditForm):
    kind: Literal["place_tables"]
    places: Annotated[dict[Text, Place | None], Field(min_length=1, max_length=10_000)]


class AcceptFinding(EditForm):
    kind: Literal["accept_finding"]
    code: Name
    about: Text
    key: Text = ""
    reason: Text
    at: At = None


class ReopenFinding(EditForm):
    kind: Literal["reopen_finding"]
    code: Name
    about: Text
    key: Text = ""


class PutRenamed(EditForm):
    kind: Literal["put_renamed"]
    renamed: list[FormerName]


class AddTable(EditForm):
    kind: Literal["add_table"]
    table: TableForm
    at: At = None


class ChangeTable(EditForm):
    kind: Literal["change_table"]
    name: Name
    set: TablePart


Kept = Annotated[
    AddLink
    | ChangeLink
    | AddMeasure
    | ChangeMeasure
    | PutProbe
    | PutFolio
    | PutHierarchy
    | PutClearance
    | PutCheck
    | Remove
    | PlaceTables
    | AcceptFinding
    | ReopenFinding
    | PutRenamed
    | AddTable
    | ChangeTable,
    Field(discriminator="kind"),
]


class Together(EditForm):
    """Several edits as one; they do not nest deeper than one level."""

    kind: Literal["together"]
    edits: Annotated[list[Kept], Field(max_length=MOST_EDITS)]


# Those that people ask for by name, completed by the server


class Asked(EditForm):
    """`mends` are edits that come along to make another whole."""

    mends: Annotated[list[Kept], Field(max_length=MOST_EDITS)] = []


class ChangeLinks(Asked):
    kind: Literal["change_links"]
    edits: Annotated[list[Annotated[AddLink | ChangeLink | Remove, Field(discriminator="kind")]], Field(min_length=1, max_length=1_000)]


class LoadTables(Asked):
    kind: Literal["load_tables"]
    edits: Annotated[list[Kept], Field(max_length=MOST_EDITS)]


class ShapeTable(Asked):
    kind: Literal["shape_table"]
    name: Name
    steps: Annotated[list[Json], Field(max_length=1_000)]


class MadeTable(Form):
    name: Name
    formula: Text = ""
    origin: Json = {}
    description: Text = ""


class MakeTable(Asked):
    kind: Literal["make_table"]
    table: MadeTable
    at: At = None


class MakeRole(Asked):
    """Uses a table again as another one; `columns` (each `Table.column`) are linked to it."""

    kind: Literal["make_role"]
    name: Name
    called: Name = Field(alias="as")
    columns: list[Text] = []


class RemakeTable(Asked):
    kind: Literal["remake_table"]
    name: Name
    origin: Json | None = None
    formula: Text | None = None


class DropTable(Asked):
    kind: Literal["drop_table"]
    name: Name


class SaidColumn(Form):
    name: ColumnName
    hidden: bool | None = None
    order_by: Text | None = None
    description: Text | None = None


class PutColumn(SaidColumn):
    formula: Text | None = None


class PutColumnEdit(Asked):
    kind: Literal["put_column"]
    name: Name
    column: PutColumn


class PutColumns(Asked):
    """What is said of several columns of a table at once."""

    kind: Literal["put_columns"]
    name: Name
    columns: Annotated[list[SaidColumn], Field(min_length=1, max_length=10_000)]


class DropColumn(Asked):
    kind: Literal["drop_column"]
    name: Name
    column: ColumnName


class TableKey(Form):
    name: Name
    key: Annotated[list[ColumnName], Field(min_length=1, max_length=20)]


class TakeKeys(Asked):
    """The keys of several tables, as one edit."""

    kind: Literal["take_keys"]
    tables: Annotated[list[TableKey], Field(min_length=1, max_length=1_000)]


class DescribeTable(Asked):
    kind: Literal["describe_table"]
    name: Name
    description: Text | None = None
    key: list[ColumnName] | None = None
    calendar: CalendarForm | None = None
    role: Literal["", "fact", "dimension", "outrigger", "bridge"] | None = None
    grain: Text | None = None
    grain_columns: list[ColumnName] | None = None
    hidden: bool | None = None
    subject: Text | None = None


class RenameMeasure(EditForm):
    """`set` changes more of it in the same edit."""

    kind: Literal["rename_measure"]
    name: Name
    to: Name
    set: MeasurePart | None = None


class Rename(EditForm):
    """Another name for a thing that stands already, everywhere; a column is written `Table.column`."""

    kind: Literal["rename"]
    what: Literal["table", "column", "link", "hierarchy", "probe", "folio"]
    name: Name
    to: Name


class PromoteMeasure(EditForm):
    kind: Literal["promote_measure"]
    name: Name


class PutMeasures(EditForm):
    kind: Literal["put_measures"]
    text: Text
    names: list[Text] | None = None


AnyEdit = Annotated[
    AddLink
    | ChangeLink
    | AddMeasure
    | ChangeMeasure
    | PutProbe
    | PutFolio
    | PutHierarchy
    | PutClearance
    | PutCheck
    | Remove
    | PlaceTables
    | AcceptFinding
    | ReopenFinding
    | PutRenamed
    | AddTable
    | ChangeTable
    | Together
    | ChangeLinks
    | LoadTables
    | ShapeTable
    | MakeTable
    | MakeRole
    | RemakeTable
    | DropTable
    | PutColumnEdit
    | PutColumns
    | DropColumn
    | DescribeTable
    | TakeKeys
    | RenameMeasure
    | Rename
    | PromoteMeasure
    | PutMeasures,
    Field(discriminator="kind"),
]
EDIT: TypeAdapter[Any] = TypeAdapter(AnyEdit)
SHAPING = (
    "change_links",
    "shape_table",
    "make_table",
    "make_role",
    "remake_table",
    "drop_table",
    "put_column",
    "put_columns",
    "drop_column",
    "describe_table",
    "take_keys",
)
REQUESTED = (*SHAPING, "load_tables", "rename_measure", "rename", "promote_measure", "put_measures")


def check_edit(edit: Any) -> None:
    """Refuses an edit that is not whole and of its types, naming every place."""
    kind = edit.get("kind") if isinstance(edit, Mapping) else None
    if not isinstance(kind, str) or kind not in (*KINDS, *REQUESTED):
        raise refuse("unknown_edit", f"The edit {str(kind)[:60]!r} does not exist.", f"The edits are {', '.join((*KINDS, *REQUESTED))}.")
    dirty = list(unclean(edit))
    if dirty:
        raise Refused(misfit_diagnostics(dirty, "bad_edit", ""))
    fitted(EDIT, edit, "bad_edit", "", skip=1)


def mended_edit(edit: Edit) -> Edit:
    """A stored edit as it can be applied: parts that an older version let through and that fit no type are left out."""
    document, _ = mended(EDIT, edit)
    return document if document is not None else {"kind": "together", "edits": [], "title": str(edit.get("title", ""))}
