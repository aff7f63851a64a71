"""Addresses of people: coming in, members, tokens, the log, and a model as somebody else sees it."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from flask import Response, jsonify, request

from nexorem.core.diagnostics import Refused, refuse
from nexorem.server import schemas_people as p
from nexorem.server.addresses import Register, actor
from nexorem.server.callers import request_budget
from nexorem.server.door import Door, where_from, with_session
from nexorem.server.provider import FLOW_SECONDS, Provider
from nexorem.server.schemas_gather import Done
from nexorem.work import clearing, members, people
from nexorem.work.actor import EVERYTHING, Need
from nexorem.work.workspace import Workspace

BACK = "/api/provider/back"
FLOW = "nexorem_flow"


def add_people(address: Register, workspace: Workspace, door: Door) -> None:
    """Everything about who may come in and what they may."""
    _coming_in(address, workspace, door)
    _provider(address, workspace, door)
    _own(address, workspace, door)
    _members(address, workspace, door)
    _seen(address, workspace)
    _operating(address, workspace, door)


def _coming_in(address: Register, workspace: Workspace, door: Door) -> None:
    @address("/me", "GET", p.Me, needs=None, query=p.MeQuery)
    def me(query: p.MeQuery) -> Response:
        """Who is signed in, and what they may do."""
        told: dict[str, Any] = {
            "mode": door.mode,
            "signed_in": False,
            "person": None,
            "may": [],
            "cleared": None,
            "provider": door.provider_name(),
        }
        try:
            held = door.held(workspace)
        except Refused:
            return jsonify(told)
        person = asdict(held.person) if held and held.person else None
        may, cleared = EVERYTHING, None
        if held is not None:
            try:
                found = people.actor_of(workspace, held, query.model)
                may, cleared = found.may, found.sight.clearance if found.sight else None
            except Refused:  # a model that is not there for them
                may = frozenset()
        names = [n.name.lower() for n in Need if n in may]
        return jsonify({**told, "signed_in": True, "person": person, "may": names, "cleared": cleared})

    @address("/sign_in", "POST", Done, needs=None, json=p.SignIn)
    def sign_in(json: p.SignIn) -> Response:
        """Lets somebody in who has an account."""
        _, session = people.sign_in(workspace, door.patience, json.email, json.password, where_from(door))
        return with_session(door, jsonify({"done": True}), session)

    @address("/sign_out", "POST", Done, needs=None)
    def sign_out() -> Response:
        """Ends the present session."""
        held = door.held(workspace)
        if held is not None and held.kind == "session":
            people.sign_out(workspace, held)
        return with_session(door, jsonify({"done": True}), None)

    @address("/invitations", "GET", p.InvitationInfo, needs=None, query=p.InvitationQuery)
    def invitation(query: p.InvitationQuery) -> Response:
        """Whom an invitation is for."""
        return jsonify(people.invitation(workspace, query.key))

    @address("/invitations/accept", "POST", Done, needs=None, json=p.Accept)
    def accept(json: p.Accept) -> Response:
        """Takes an invitation up."""
        _, session = people.accept(workspace, door.patience, json.key, json.name, json.password, where_from(door))
        return with_session(door, jsonify({"done": True}), session)


def _provider(address: Register, workspace: Workspace, door: Door) -> None:
    """There and back: the provider's page sends the browser to the second address, with a cookie of this flow alone."""

    def provider() -> Provider:
        if door.provider is None:
            raise refuse("no_provider", "Nobody comes in by a provider here.", "Sign in with a password.")
        return door.provider

    @address("/provider", "GET", None, needs=None)
    def go_to_provider() -> Response:
        """Sends somebody to the provider, to sign in there."""
        url, browser = provider().begin(f"{door.origin}{BACK}")
        response = Response(status=303, headers={"Location": url})
        response.set_cookie(
            FLOW, browser, int(FLOW_SECONDS), path=BACK, secure=door.origin.startswith("https:"), httponly=True, samesite="Lax"
        )
        return response

    @address("/provider/back", "GET", None, needs=None)
    def back_from_provider() -> Response:
        """Lets in whom the provider vouches for, and somebody invited."""
        asked = {n: request.args.get(n, "") for n in ("state", "code")}
        found = provider().end(f"{door.origin}{BACK}", **asked, browser=request.cookies.get(FLOW, ""))
        _, session = people.known_to_provider(workspace, found.subject, found.email, found.name)
        return with_session(door, Response(status=303, headers={"Location": "/"}), session)


def _own(address: Register, workspace: Workspace, door: Door) -> None:
    """One's own sessions and tokens: there are some wherever somebody is signed in."""

    @address("/own", "GET", p.Own, cleared=True)
    def own() -> Response:
        """One's own sessions and tokens."""
        held = door.session(workspace)
        return jsonify({"sessions": members.sessions_of(workspace, held), "tokens": members.tokens_of(workspace, held)})

    @address("/own/tokens", "POST", p.TokenAnswer, cleared=True, json=p.TokenRequest)
    def make_token(json: p.TokenRequest) -> Response:
        """A token for a program, told this once."""
        held = door.session(workspace)
        return jsonify({"token": members.make_token(workspace, held, json.name, json.model, json.release, json.days)})

    @address("/own/end", "POST", Done, cleared=True, json=p.DigestRequest)
    def end_own(json: p.DigestRequest) -> Response:
        """Ends a session or a token of one's own."""
        members.end_own(workspace, door.session(workspace), json.digest)
        return jsonify({"done": True})


def _members(address: Register, workspace: Workspace, door: Door) -> None:
    @address("/models/<int:model_id>/people", "GET", p.People, needs=Need.KEEP)
    def people_of(model_id: int) -> Response:
        """Who may do what in a model."""
        return jsonify(members.people_of(workspace, actor(), model_id))

    @address("/models/<int:model_id>/people", "PUT", p.People, needs=Need.KEEP, json=p.MemberRequest)
    def put_member(model_id: int, json: p.MemberRequest) -> Response:
        """Another role for a member."""
        members.put_member(workspace, actor(), model_id, json.person, json.role, json.clearance)
        return jsonify(members.people_of(workspace, actor(), model_id))

    @address("/models/<int:model_id>/people/remove", "POST", p.People, needs=Need.KEEP, json=p.PersonRequest)
    def remove_member(model_id: int, json: p.PersonRequest) -> Response:
        """Takes somebody's membership back."""
        members.remove_member(workspace, actor(), model_id, json.person)
        return jsonify(members.people_of(workspace, actor(), model_id))

    @address("/models/<int:model_id>/people/invite", "POST", p.InviteAnswer, needs=Need.KEEP, json=p.InviteRequest)
    def invite(model_id: int, json: p.InviteRequest) -> Response:
        """Invites somebody into a model."""
        key = people.invite(workspace, actor().name, json.email, model_id, json.role, json.clearance)
        return jsonify({"address": _address_of(door, key)})

    @address("/models/<int:model_id>/people/withdraw", "POST", p.People, needs=Need.KEEP, json=p.DigestRequest)
    def withdraw(model_id: int, json: p.DigestRequest) -> Response:
        """Ends an invitation to a model, or a token for it."""
        members.withdraw(workspace, actor(), model_id, json.digest)
        return jsonify(members.people_of(workspace, actor(), model_id))

    @address("/models/<int:model_id>/log", "GET", p.Log, needs=Need.KEEP, query=p.LogQuery)
    def model_log(model_id: int, query: p.LogQuery) -> Response:
        """What was done with a model: who came, took something out, changed rights."""
        return jsonify({"lines": members.log_of(workspace, actor(), model_id, query.before)})


def _address_of(door: Door, key: str) -> str:
    return f"{door.origin or request.host_url.rstrip('/')}/?invitation={key}"


def _seen(address: Register, workspace: Workspace) -> None:
    @address("/models/<int:model_id>/clearances", "GET", p.Clearances)
    def clearances(model_id: int) -> Response:
        """What the rules of each clearance come to."""
        return jsonify({"clearances": clearing.reaches(workspace.star(model_id)[1])})

    @address("/models/<int:model_id>/seen_as", "POST", p.SeenAs, needs=Need.KEEP, json=p.SeenAsRequest)
    def seen_as(model_id: int, json: p.SeenAsRequest) -> Response:
        """A probe as the caller sees it, beside how somebody with a clearance does."""
        who = {"email": json.email, "name": json.name}
        return jsonify(clearing.seen_as(workspace, actor(), model_id, json.probe, json.clearance, who, request_budget()))


def _operating(address: Register, workspace: Workspace, door: Door) -> None:
    @address("/accounts", "GET", p.Accounts, needs=Need.KEEP)
    def accounts() -> Response:
        """Everybody who has an account."""
        return jsonify({"people": members.accounts(workspace, door.operator(workspace))})

    @address("/accounts/invite", "POST", p.InviteAnswer, needs=Need.KEEP, json=p.OperatorInvite)
    def invite_account(json: p.OperatorInvite) -> Response:
        """Invites somebody who is to operate, or to open models of their own."""
        by = door.operator(workspace)
        key = people.invite(workspace, by.name, json.email, None, operator=json.operator, opens=json.opens)
        return jsonify({"address": _address_of(door, key)})

    @address("/accounts/remove", "POST", p.Accounts, needs=Need.KEEP, json=p.PersonRequest)
    def remove_account(json: p.PersonRequest) -> Response:
        """Removes an account with all its sessions, tokens and memberships."""
        by = door.operator(workspace)
        members.remove_account(workspace, by, json.person)
        return jsonify({"people": members.accounts(workspace, by)})

    @address("/log", "GET", p.Log, needs=Need.KEEP, query=p.LogQuery)
    def whole_log(query: p.LogQuery) -> Response:
        """What was done with everything."""
        return jsonify({"lines": members.log_of(workspace, door.operator(workspace), None, query.before)})
