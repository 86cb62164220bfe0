"""What rights cost: the same questions by somebody, without any list and with one folder in twenty kept from them; signing in."""

from __future__ import annotations

import shutil
import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from tests.core.test_plans import DOCUMENTS, SUPPLIERS, fill

from keybundle.core.rights.model import Grantee, Right
from keybundle.core.workflows.find.find import find
from keybundle.core.workflows.keep.documents import browsing
from keybundle.core.workflows.session import access, signing_in
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.session import Session
from keybundle.core.workflows.session.signing_in import choose_person
from keybundle.core.workflows.session.workspace import Workspace
from keybundle.demo import seed
from keybundle.demo.names import PEOPLE

KEPT_FROM, ROUNDS = 20, 25
PASSWORD = "seven geese on the weir"


def _medians(*works: Callable[[], object]) -> list[float]:
    """Do several things in turn, so that what else the machine does weighs on all of them; the median of each in ms."""
    times: list[list[float]] = [[] for _ in works]
    for _ in range(ROUNDS):
        for work, own in zip(works, times, strict=True):
            start = time.perf_counter()
            work()
            own.append(time.perf_counter() - start)
    return [statistics.median(own) * 1000 for own in times]


def _questions(me: Session) -> dict[str, Callable[[], object]]:
    return {
        "two words, 200 hits": lambda: find(me, "gate lock"),
        "a value, 200 hits": lambda: find(me, '"Supplier" = "Supplier 7"'),
        "one number, one hit": lambda: find(me, "R-77777"),
        "a range of numbers": lambda: find(me, "Total > 4990"),
        "a cabinet's first column": lambda: browsing.load_columns(me, "Purchasing", ("Year", "Supplier"), {}),
        "a year of it": lambda: browsing.load_columns(me, "Purchasing", ("Year", "Supplier"), {"Year": "2026"}),
    }


def _keep_folders(ws: Workspace) -> None:
    admin = choose_person(ws, PEOPLE[0][0])
    for i in range(0, SUPPLIERS, KEPT_FROM):
        spot = access.Spot("Purchasing", ("2026", f"Supplier {i}"))
        access.keep_to(
            admin,
            spot,
            {Grantee("role", "administrator"): list(Right), Grantee("person", f"person-{i}x"): [Right.LOOK]},
        )


def measure_rights() -> list[str]:
    """Ask in turn in two stores that are alike but for lists: in one a folder in twenty is kept from who asks; and sign in."""
    with tempfile.TemporaryDirectory(prefix="keybundle-rights-") as folder:
        data = Path(folder) / "data"
        made = open_workspace(data)
        seed.begin(made)
        made.close()
        fill(str(data / "keybundle.sqlite"))
        shutil.copytree(data, Path(folder) / "kept")
        free, ws = open_workspace(data), open_workspace(Path(folder) / "kept")
        _keep_folders(ws)
        me = choose_person(ws, PEOPLE[2][0])
        without, within = _questions(choose_person(free, PEOPLE[2][0])), _questions(me)
        found = {name: _medians(without[name], within[name]) for name in within}
        signing_in.give_password(choose_person(ws, PEOPLE[0][0]), me.person, PASSWORD)
        signed = _medians(lambda: signing_in.sign_in(ws, PEOPLE[2][0], PASSWORD))[0]
        free.close()
        ws.close()
    rows = [
        f"| rights: {name}, {DOCUMENTS:,} documents, a folder in {KEPT_FROM} kept from who asks | {kept:.1f} ms "
        f"| no list at all: {plain:.1f} ms | {kept / plain:.2f} | 1.1 |" for name, (plain, kept) in found.items()
    ]  # fmt: skip
    return [*rows, f"| signing in by password (Argon2id) | {signed:.0f} ms | | | 1 s |"]
