"""Signing in: the only way to a session. By a password, by the account of this system, or (in a demo) by choosing a name.

A wrong password costs time that grows with each further one and outlives a restart. What is told, and how long it takes,
is the same for a name that nobody has and for a wrong password.
"""

from __future__ import annotations

import hashlib
import os
import pwd
from datetime import datetime, timedelta
from typing import TYPE_CHECKING

from sqlalchemy import Connection, Row, Select, delete, insert, literal_column, select, update

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.folding import fold
from keybundle.core.base.messages import join_comma, message
from keybundle.core.repository import audit
from keybundle.core.rights.model import ALL_RIGHTS, Right
from keybundle.core.setup.model import Person, Role, Setup, SignIn, called, number_people
from keybundle.core.store import schema as t
from keybundle.core.workflows.session.session import MACHINE, Session, needs
from keybundle.core.workflows.session.workspace import ADMINISTERS, Workspace

if TYPE_CHECKING:
    from argon2 import PasswordHasher

SHORTEST_PASSWORD = 8
FREE_FAILURES = 3
LONGEST_WAIT_SECONDS = 300
NOBODYS = "name:"  # before the digest of a name that lets nobody in
NAMES_COUNTED = 500
WRONG = message("signing-in.not-name-password-anybody-here")
# Stands for the hash of a password that nobody has, and takes as long to be compared with as any other.
NOBODYS_HASH = "$argon2id$v=19$m=65536,t=3,p=4$bm9ib2R5IGhhcyB0aGlzLg$AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA"


class Slowed(InputProblem):
    """Too many wrong passwords: the next try has to wait; ``seconds`` how long."""

    def __init__(self, seconds: int) -> None:
        super().__init__(message("signing-in.too-many-wrong-passwords-wait", seconds=seconds))
        self.seconds = seconds


def system_account() -> str:
    """Return the name of the account that this process runs under, whatever its environment says."""
    try:
        return pwd.getpwuid(os.getuid()).pw_name
    except KeyError:
        return f"uid {os.getuid()}"


def machine_session(workspace: Workspace) -> Session:
    """Return the session of the machine's own work: the line, renditions, copies. It is no person's."""
    return Session(workspace, MACHINE)


def sign_in(workspace: Workspace, name: str, password: str) -> Session:
    """Let somebody in by name (or account) and password; raises InputProblem, or Slowed after wrong ones."""
    _require_way(workspace.setup, "password")
    person, database = _find(workspace.setup, name), workspace.place.database
    s = t.person_secret
    with database.atomic() as c:
        own = _secret(c, person.id) if person is not None else None
        secret = own if own is not None else _count_nobody(c, name)
        wait, until = _time_to_wait(workspace, secret)
        # It counts as a failure until it was found right: of tries side by side none is free.
        counted = {"wait_until": until} if wait else _after_failure(workspace, secret)
        c.execute(update(s).where(s.c.person == secret.person).values(counted))
    if wait:
        raise Slowed(wait)
    # Hashing takes its time, on purpose, and holds nobody up who writes.
    is_right = _verify(secret.hash, password) and own is not None
    with database.atomic() as c:
        if is_right:
            same = (s.c.person == secret.person, s.c.hash == secret.hash)
            is_right = bool(c.execute(update(s).where(*same).values(failures=0, wait_until="")).rowcount)
        elif own is not None:
            told = {"failures": counted["failures"]}
            audit.append(c, workspace.clock.stamp(), own.person, "sign-in refused", own.person, told)
    if person is None or not is_right:
        raise InputProblem(WRONG)
    return _let_in(workspace, person)


def sign_in_by_account(workspace: Workspace) -> Session:
    """Let in whoever has the account that this process runs under; raises InputProblem where nobody here has it."""
    _require_way(workspace.setup, "system")
    person = person_of_account(workspace)
    if person is None:
        raise InputProblem(
            message("signing-in.nobody-repository-account-sign-password", system_account=system_account())
        )
    return _let_in(workspace, person)


def person_of_account(workspace: Workspace) -> Person | None:
    """Return who has the account that this process runs under, None for nobody, or where that does not count here."""
    if not workspace.has_setup or "system" not in workspace.setup.sign_in:
        return None
    account = system_account()
    return next((p for p in workspace.setup.people if p.active and p.login == account), None)


def choose_person(workspace: Workspace, name: str | None = None) -> Session:
    """Let somebody in by name alone (none: the first administrator), where the repository allows that, as a demo does."""
    _require_way(workspace.setup, "choose")
    return _let_in(workspace, workspace.person(name))


def sign_in_unattended(workspace: Workspace, name: str | None, password: str | None) -> Session:
    """Let in for a command: by name and password, else by account, else (where allowed) by name alone or as the first one.

    Raises InputProblem that says what else can be done.
    """
    if name is None:
        if person_of_account(workspace) is not None:
            return sign_in_by_account(workspace)
        if "choose" in workspace.setup.sign_in:
            return choose_person(workspace)
        raise InputProblem(message("signing-in.nobody-repository-account-say-who", system_account=system_account()))
    if password is not None:
        return sign_in(workspace, name, password)
    own = person_of_account(workspace)
    if own is not None and called([own], name) is not None:
        return sign_in_by_account(workspace)
    return choose_person(workspace, name)


def needs_password(workspace: Workspace, name: str | None) -> bool:
    """Whether somebody named so can be let in by a password alone."""
    own = person_of_account(workspace)
    is_own = own is not None and (name is None or called([own], name) is not None)
    return name is not None and not is_own and "choose" not in workspace.setup.sign_in


@needs()
def set_password(session: Session, new: str, *, old: str | None = None) -> None:
    """Give oneself another password; who has one says the old one. Raises InputProblem."""
    database = session.workspace.place.database
    with database.read() as c:
        secret = _secret(c, session.person)
    if secret is not None and not _verify(secret.hash, old or ""):
        raise InputProblem(message("signing-in.old-password-not-right-nothing"))
    fresh = _hash(new)
    with database.atomic() as c:
        now = _secret(c, session.person)
        if (now.hash if now is not None else None) != (secret.hash if secret is not None else None):
            raise InputProblem(message("signing-in.old-password-not-right-nothing"))  # it was changed meanwhile
        _keep_hash(c, session.person, fresh)
        audit.append(c, session.workspace.clock.stamp(), session.person, "password changed", session.person, {})


@needs(Right.GIVE_RIGHTS)
def give_password(session: Session, person_id: str, new: str) -> None:
    """Give somebody a password, which they change themselves later; none (empty) takes theirs away."""
    if session.workspace.setup.person(person_id) is None:
        raise InputProblem(message("signing-in.person-no-longer-here-nothing"))
    fresh = _hash(new) if new else ""
    with session.workspace.place.database.atomic() as c:
        if fresh:
            _keep_hash(c, person_id, fresh)
        else:
            c.execute(delete(t.person_secret).where(t.person_secret.c.person == person_id))
        audit.append(c, session.workspace.clock.stamp(), session.person, "password given", person_id, {})


def has_password(workspace: Workspace, person_id: str) -> bool:
    """Whether somebody has a password."""
    with workspace.place.database.read() as c:
        return _secret(c, person_id) is not None


def begin_repository(
    workspace: Workspace, repository: str, administrator: str, password: str = "", *, locale: str = "en_GB",
    time_zone: str = "UTC",
) -> Session:  # fmt: skip
    """Give a fresh data directory its name and where it stands, and let whoever begins it in as its first administrator.

    They sign in by their account of this system from then on, or by the password where they gave one.
    """
    if not repository.strip() or not administrator.strip():
        raise InputProblem(message("signing-in.repository-first-administrator-both-need"))
    if workspace.has_setup:
        raise InputProblem(message("signing-in.repository-begun-already-nothing-changed"))
    from keybundle.core.setup.text import check_setup

    fresh = _hash(password) if password else ""
    person = Person(name=administrator.strip(), roles=("administrator",), login=system_account())
    setup = Setup(repository=repository.strip(), locale=locale, time_zone=time_zone, people=(person,))
    if findings := check_setup(setup).findings:
        raise InputProblem(message("prepare.nothing-changed", said="; ".join(f.message for f in findings)))
    with workspace.place.database.atomic() as c:
        workspace.put_setup(setup, setup.people[0].id)
        if fresh:
            _keep_hash(c, setup.people[0].id, fresh)
    return _let_in(workspace, setup.people[0])


def let_in_importer(workspace: Workspace, setup: Setup) -> Setup:
    """Return a first set-up in which whoever brings it in can sign in: its first administrator without an account has theirs.

    A set-up without people gets them as its administrator.
    """
    account = system_account()
    if not setup.people:
        person = Person(name=account, roles=(_administering(setup),), login=account)
        return Setup.model_validate({**setup.model_dump(by_alias=True), "people": [person.model_dump()]})
    if any(p.login == account for p in setup.people):
        return setup
    first = next((p for p in setup.people if setup.holder(p.id).rights >= ADMINISTERS and not p.login), None)
    changed = (p.model_copy(update={"login": account}) if p is first else p for p in setup.people)
    return setup.model_copy(update={"people": tuple(changed)})


def reset_administrator(workspace: Workspace, name: str | None, password: str) -> str:
    """Make somebody administrator again, with a new password; only the owner of the data directory may. Returns their name.

    ``name`` None: the first administrator there is or was, else somebody new with the name of this account.
    """
    if os.stat(workspace.place.root).st_uid != os.getuid():
        raise InputProblem(message("signing-in.belongs-another-account-only-owner", root=workspace.place.root))
    fresh = _hash(password)
    chosen: list[str] = []

    def change(setup: Setup) -> Setup:
        role = next((r for r in setup.roles if set(r.rights) == set(ALL_RIGHTS)), None)
        roles = setup.roles
        if role is None:
            role = Role(name="administrator", rights=tuple(Right))
            roles = (*(r for r in roles if r.id != role.id), role)
        people = setup.people
        known = (
            called(people, name)
            if name
            else next((p for p in people if set(p.roles) & _administering_all(setup)), None)
        )
        if known is None:
            people = number_people((*people, Person(name=name or system_account())), workspace.used_ids()["people"])
            known = people[-1]
        chosen[:] = [known.id]
        again = known.model_copy(update={"roles": tuple(dict.fromkeys((*known.roles, role.id))), "active": True})
        ways = setup.sign_in if "password" in setup.sign_in else ("password", *setup.sign_in)
        return setup.model_copy(
            update={"people": tuple(again if p.id == known.id else p for p in people), "roles": roles, "sign_in": ways}
        )

    with workspace.place.database.atomic() as c:
        setup = workspace.change_setup(MACHINE, change)
        _keep_hash(c, chosen[0], fresh)
        told = {"account": system_account()}
        audit.append(c, workspace.clock.stamp(), chosen[0], "administrator reset", chosen[0], told)
    person = setup.person(chosen[0])
    return person.name if person is not None else chosen[0]


def _administering(setup: Setup) -> str:
    return next((r.id for r in setup.roles if set(r.rights) >= ADMINISTERS), "administrator")


def _administering_all(setup: Setup) -> set[str]:
    return {r.id for r in setup.roles if set(r.rights) >= ADMINISTERS}


def _let_in(workspace: Workspace, person: Person) -> Session:
    if not person.active:
        raise InputProblem(message("signing-in.works-here-no-more-ask", person_name=person.name))
    return Session(workspace, person.id)


def _require_way(setup: Setup, way: SignIn) -> None:
    if way not in setup.sign_in:
        told: dict[str, str] = {w: message(f"signing-in.way-{w}") for w in ("password", "system", "choose")}
        allowed = join_comma([told[w] for w in setup.sign_in])
        raise InputProblem(message("signing-in.people-sign-here-not", allowed=allowed, told=told[way]))


def _find(setup: Setup, name: str) -> Person | None:
    wanted = fold(name.strip())
    return next((p for p in setup.people if wanted in (fold(p.name), fold(p.login)) and wanted), None)


def _secret(c: Connection, person_id: str) -> Row | None:  # type: ignore[type-arg]
    return c.execute(select(t.person_secret).where(t.person_secret.c.person == person_id)).first()


def _count_nobody(c: Connection, name: str) -> Row:  # type: ignore[type-arg]
    """Return the count of wrong tries by a name that lets nobody in, kept by its digest like a person's; the last ones only."""
    s = t.person_secret
    key = NOBODYS + hashlib.sha256(fold(name.strip()).encode("utf-8", "surrogatepass")).hexdigest()
    if _secret(c, key) is None:
        nobodys: Select[tuple[int]] = (
            select(literal_column("rowid")).select_from(s).where(s.c.person.startswith(NOBODYS))
        )
        too_many = nobodys.order_by(literal_column("rowid").desc()).offset(NAMES_COUNTED - 1)
        c.execute(delete(s).where(literal_column("rowid").in_(too_many)))
        c.execute(insert(s).values(person=key, hash=NOBODYS_HASH, failures=0, wait_until=""))
    secret = _secret(c, key)
    assert secret is not None
    return secret


def _time_to_wait(workspace: Workspace, secret: Row) -> tuple[int, str]:  # type: ignore[type-arg]
    """Return how many seconds are still to be waited, and until when: never longer than the longest wait.

    A clock that was ahead when the wait began, and has gone back since, begins it anew.
    """
    now = workspace.clock.now()
    until = min(
        datetime.fromisoformat(secret.wait_until or now.isoformat()), now + timedelta(seconds=LONGEST_WAIT_SECONDS)
    )
    seconds = max(0, round((until - now).total_seconds() + 0.499))
    return seconds, until.isoformat() if seconds else ""


def _after_failure(workspace: Workspace, secret: Row) -> dict[str, object]:  # type: ignore[type-arg]
    failures = secret.failures + 1
    seconds = min(LONGEST_WAIT_SECONDS, 2 ** (failures - FREE_FAILURES)) if failures >= FREE_FAILURES else 0
    until = workspace.clock.now() + timedelta(seconds=seconds)
    return {"failures": failures, "wait_until": until.isoformat() if seconds else ""}


def _hasher() -> PasswordHasher:
    """Return what hashes passwords. Source: RFC 9106, the second recommended option (64 MiB), as argon2-cffi has it."""
    from argon2 import PasswordHasher

    return PasswordHasher()


def _verify(kept: str, password: str) -> bool:
    from argon2.exceptions import InvalidHashError, VerificationError

    try:
        return _hasher().verify(kept, password)
    except (VerificationError, InvalidHashError):
        return False


def _check_password(password: str) -> None:
    if len(password) < SHORTEST_PASSWORD:
        raise InputProblem(
            message("signing-in.password-needs-least-characters-nothing", SHORTEST_PASSWORD=SHORTEST_PASSWORD)
        )


def _hash(password: str) -> str:
    """Return what is kept of a new password; outside of any transaction, since it takes its time. Raises InputProblem."""
    _check_password(password)
    return _hasher().hash(password)


def _keep_hash(c: Connection, person_id: str, fresh: str) -> None:
    row = {"person": person_id, "hash": fresh, "failures": 0, "wait_until": ""}
    c.execute(delete(t.person_secret).where(t.person_secret.c.person == person_id))
    c.execute(insert(t.person_secret).values(row))
