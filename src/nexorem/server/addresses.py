"""The one way a request takes: checked against its type, acted on, answered by its type."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any, Protocol, get_type_hints

from flask import Blueprint, Response, g
from pydantic import ValidationError
from spectree import Response as Answers
from spectree import SpecTree

from nexorem import __version__
from nexorem.core.diagnostics import Refused, refuse
from nexorem.core.fits import misfit_diagnostics, misfits
from nexorem.server.problems import PROBLEM_JSON
from nexorem.server.readable import JSON, check_address, check_body
from nexorem.server.schemas import Problem
from nexorem.work.actor import Actor, Need, seeing

Register = Callable[..., Callable[[Any], Any]]
PROBLEMS = (401, 403, 404, 408, 409, 413, 422, 503, 507)  # that any address may answer with


class Unchecked(Answers):
    """Answers that are described and not checked on their way out: of a hundred thousand cells each would be. A test checks them."""

    def find_model(self, code: int) -> Any:
        """None for what was answered, so that nothing is checked; problems are."""
        return None if code == 200 else super().find_model(code)


def schema_name(model: type[Any]) -> str:
    """A type's name in the OpenAPI document."""
    return model.__name__


Note = Callable[[Actor, int | None, str], None]


class Who(Protocol):
    """Tells who makes the present request, and what they may do in a model, or (None) besides; refuses whom it does not let in."""

    def __call__(self, model_id: int | None) -> Actor:
        """The actor."""


def actor() -> Actor:
    """Who makes the present request, as the door let them in."""
    made: Actor = g.actor
    return made


def _refuse_invalid(_request: Any, _response: Any, error: Any, *_: Any) -> None:
    """A request that does not fit its type is refused like any other unusable input."""
    if error is not None:
        raise unfit(error)


def unfit(error: Any) -> Refused:
    """What does not fit a type, as a refusal that names each place."""
    places = misfits(error) if isinstance(error, ValidationError) else [("", "cannot be read")]
    return Refused(misfit_diagnostics(places, "bad_request", "", whole="body"))


_SCHEMAS: dict[tuple[type[Any], str], tuple[str, dict[str, Any]]] = {}


class Spec(SpecTree):
    """The document tells problems by the media type that they are sent as (RFC 9457)."""

    def _add_model(self, model: type[Any], mode: Any = "validation") -> str:
        """A type's schema is made once in a process: each address has a dozen, most of them the same."""
        if (model, mode) not in _SCHEMAS:
            name = super()._add_model(model, mode)
            _SCHEMAS[model, mode] = name, dict(self.models[name])
        name, schema = _SCHEMAS[model, mode]
        self.models[name] = dict(schema)
        return name

    def _generate_spec(self) -> dict[str, Any]:
        document: dict[str, Any] = super()._generate_spec()
        for path in document["paths"].values():
            for operation in path.values():
                for status, answer in operation.get("responses", {}).items():
                    if status != "200" and JSON in answer.get("content", {}):
                        answer["content"] = {PROBLEM_JSON: answer["content"][JSON]}
        return document


def make_spec() -> SpecTree:
    """OpenAPI 3.1 from the types of requests and answers."""
    return Spec(
        "flask",
        title="Nexorem",
        version=__version__,
        path="api/docs",
        filename="openapi.json",
        naming_strategy=schema_name,
        nested_naming_strategy=lambda _, child: child,
        annotations=True,
        validation_error_status=422,
        mode="strict",
        before=_refuse_invalid,
    )


def _aside(handler: Callable[..., Any]) -> Callable[..., Any]:
    """The handler of a file, whose answer waits beside: checking what was asked for would gather all of it up."""

    @wraps(handler)
    def answered(*args: Any, **kwargs: Any) -> Response:
        g.file = handler(*args, **kwargs)
        return Response()

    answered.__annotations__ = get_type_hints(handler)  # for their names are those of the handler's module
    return answered


def registering(api: Blueprint, spec: SpecTree, who: Who, note: Note = lambda actor, model_id, what: None) -> Register:
    """The one door: `address(path, method, result, needs=…, **types)` registers a handler with its types and with what it needs of whoever
    calls, None where nobody need be signed in; `large` answers are not checked against their type, and a `result` of None is a file or a
    stream. Who may not, is refused before anything is read. `cleared` says that all of an answer's rows come from the model as its caller
    may see it (`Workspace.star`): no other address answers those who may not see all of them. What an address `takes` out of a model is
    noted in the log."""

    def address(
        path: str,
        method: str,
        result: type[Any] | None,
        needs: Need | None = Need.LOOK,
        large: bool = False,
        cleared: bool = False,
        takes: str = "",
        **types: Any,
    ) -> Callable[[Any], Any]:
        def register(handler: Callable[..., Any]) -> Callable[..., Any]:
            kind = Unchecked if large else Answers
            problems = {f"HTTP_{status}": Problem for status in PROBLEMS}
            answers = kind(HTTP_200=result, **problems) if result else Answers("HTTP_200", **problems)
            # What has no types is a stream or a file at a plain address: it is not gathered up to be checked.
            checked = handler
            if result or types:
                typed = handler if result else _aside(handler)
                checked = spec.validate(resp=answers, skip_validation=False, operation_id=handler.__name__, **types)(typed)

            @wraps(checked)
            def entered(*args: Any, **kwargs: Any) -> Any:
                sight = None
                if needs is not None:
                    g.actor = who(kwargs.get("model_id"))
                    g.actor.must(needs)
                    sight = g.actor.sight
                    if sight and not cleared:
                        said = f"{g.actor.name} does not see all rows of this model, and this is about all of them."
                        raise refuse("not_allowed", said, "Ask whoever looks after the model.")
                check_address()
                if "json" in types:
                    check_body()
                with seeing(sight):
                    answer = checked(*args, **kwargs)
                    answer = g.pop("file", answer)
                if takes:
                    note(g.actor, kwargs.get("model_id"), takes)
                return answer

            entered.needs, entered.cleared = needs, cleared  # type: ignore[attr-defined]
            api.add_url_rule(path, handler.__name__, entered, methods=[method])
            return handler

        return register

    return address
