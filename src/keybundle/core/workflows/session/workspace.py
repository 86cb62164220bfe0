"""An open repository as every workflow takes it: its place, set-up, registers and what was learned; its stores are not here."""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from sqlalchemy import Connection, delete, insert, select

from keybundle.core.base.errors import EnvironmentProblem, InputProblem
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.fields.locales import decimal_mark, is_day_first
from keybundle.core.repository.access import view_of
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import FieldSpec, Person, Register, Setup, called
from keybundle.core.setup.routines import Routine
from keybundle.core.store import schema as t
from keybundle.core.store.place import Place
from keybundle.core.store.setup_parts import PartChange, load_setup_parts, put_setup_parts, used_ids
from keybundle.core.workflows.session.hidden import hidden_keys

if TYPE_CHECKING:
    from keybundle.core.batches.model import Batch
    from keybundle.core.fields.kinds import Rule
    from keybundle.core.proposing.calibration import Calibration
    from keybundle.core.proposing.memory import Memory
    from keybundle.core.registers.book import Book
    from keybundle.core.workflows.session.entries import EntriesBrought

CALIBRATION, SORTED_FOR, MONTHS_OF = "calibration", "folders sorted for", "months of"
MOST_MEMORIES = 8
ADMINISTERS = {Right.PREPARE, Right.GIVE_RIGHTS}


@dataclass(frozen=True)
class SetupPut:
    """What putting a set-up in force changed: parts, and the entries of registers that brought rows."""

    parts: tuple[PartChange, ...]
    entries: tuple[EntriesBrought, ...]


class Workspace:
    """One data directory; opened by ``opening.open_workspace``. Batches and documents are had through a session."""

    def __init__(self, place: Place) -> None:
        self.place = place
        self.clock = place.clock
        place.files.others = self._other_areas
        # Guards what is remembered here, and is never held while waiting to write: who writes asks for the set-up too.
        self._lock = threading.RLock()
        self._memory_lock = threading.Lock()
        self.on_setup: Callable[[], None] = lambda: None  # called after set-up or registers have changed, in any thread
        self._setup: Setup | None = None
        self._books: dict[str, Book] = {}
        self._memory: Memory | None = None
        self._memory_mark = (0, 0)
        self._memories: dict[frozenset[str], tuple[Memory, int]] = {}
        self._calibration: Calibration | None = None

    def _other_areas(self) -> list[Path]:
        """Return the folders of all storage areas but the data directory's own."""
        roots = [self.place.root / area.path for area in self.setup.storage_areas] if self.has_setup else []
        return [root for root in roots if root != self.place.files.root]

    def _settle(self, batch: Batch) -> Batch:
        from keybundle.core.workflows.session.settling import settle

        return settle(batch, self.setup, self.books, self.bar(self.setup.routine(batch.routine)), self.rule)

    @property
    def has_setup(self) -> bool:
        """Whether the repository was set up."""
        with self.place.database.read() as c:
            return c.execute(select(t.setup_part.c.id).limit(1)).first() is not None

    @property
    def setup(self) -> Setup:
        """The set-up in force, without the registers' rows; raises EnvironmentProblem before the first one."""
        with self._lock:
            if self._setup is None:
                with self.place.database.read() as c:
                    found = load_setup_parts(c)
                if found is None:
                    raise EnvironmentProblem(message("workspace.no-set-up-yet-import", root=self.place.root))
                self._setup = found
            return self._setup

    def books(self) -> Mapping[str, Book]:
        """Return the registers by id."""
        from keybundle.core.registers.book import Book

        with self._lock:
            registers = self.setup.registers
            if any(r.id not in self._books for r in registers):
                there = self._books
                self._books = {
                    r.id: there[r.id] if r.id in there else Book(r.key, self.entries(r.id), r.name) for r in registers
                }
            return self._books

    def entries(self, register: str) -> Sequence[dict[str, str]]:
        """Return a register's entries in their order, by the names of its columns."""
        e, of = t.register_entry, self.setup.register(register)
        with self.place.database.read() as c:
            rows = c.execute(select(e.c.row).where(e.c.register == register).order_by(e.c.position)).scalars()
            return [of.entry(row) for row in rows] if of is not None else []

    def forget_books(self, register: str | None = None) -> None:
        """Read a register (None: all of them) anew when it is asked for next."""
        with self._lock:
            self._books = {k: b for k, b in self._books.items() if register is not None and k != register}
        self.on_setup()

    def put_setup(self, setup: Setup, who: str, *, refiles: bool = False) -> SetupPut:
        """Put a set-up in force and return what that changed; registers that bring rows are brought to these entries.

        Raises NotAllowed where ``who`` (empty: the machine) may not change what is changed, and InputProblem where something
        would be left without what it needs: whoever calls, by what was changed. ``refiles``: who changes the levels of a
        cabinet files its documents anew.
        """
        from keybundle.core.repository import audit
        from keybundle.core.workflows.session import setup_rules

        at = self.clock.stamp()
        with self.place.database.atomic() as c:
            before = load_setup_parts(c)
            setup = setup_rules.with_column_ids(setup, before)
            changes = put_setup_parts(c, setup, at, who)
            setup_rules.refuse_names(changes)
            if before is not None:
                setup_rules.require_rights(before, who, changes)
                if before.locale != setup.locale and self.setting(SORTED_FOR) is None:
                    self.put_setting(SORTED_FOR, before.locale)
                if before.time_zone != setup.time_zone and self.setting(MONTHS_OF) is None:
                    self.put_setting(MONTHS_OF, before.time_zone)
            brought = [self._bring_rows(c, r, who, at) for r in setup.registers if r.rows]
            if before is not None:
                setup_rules.refuse_loss(c, self.place, changes, refiles=refiles)
            told = [
                {"part": x.kind, "id": x.id, "name": x.name, "what": x.what, "revision": x.revision} for x in changes
            ]
            if told or not any(x.is_any for x in brought):
                audit.append(c, at, who, "set-up changed", setup.repository, {"parts": told})
            self.place.database.after_commit(self._forget_setup)
            self.place.database.after_commit(self.sort_folders)
        return SetupPut(tuple(changes), tuple(x for x in brought if x.is_any))

    def _bring_rows(self, c: Connection, register: Register, who: str, at: str) -> EntriesBrought:
        from keybundle.core.workflows.session.entries import bring_entries

        rows = [dict(zip(register.columns, row, strict=True)) for row in register.rows]
        unique = {row[register.key]: row for row in rows}
        return bring_entries(c, register, unique, who=who, at=at, what="register replaced")

    def sort_folders(self) -> None:
        """Bring the keys that folders are sorted by to the repository's locale, and months to its time zone."""
        from keybundle.core.repository.folders import sort_anew
        from keybundle.core.search.index import month_anew

        done, locale = self.setting(SORTED_FOR), self.setup.locale
        if done is not None and done != locale:
            sort_anew(self.place.database, locale)
            self.put_setting(SORTED_FOR, locale)
        done, zone = self.setting(MONTHS_OF), self.setup.time_zone
        if done is not None and done != zone:
            month_anew(self.place.database, zone)
            self.put_setting(MONTHS_OF, zone)

    def change_setup(self, who: str, change: Callable[[Setup], Setup], *, refiles: bool = False) -> Setup:
        """Put in force what a change makes of the set-up as it is at that moment, whoever else has changed it.

        Raises InputProblem, and changes nothing, where the result does not hold together or ``change`` refuses, and all that
        ``put_setup`` raises.
        """
        from keybundle.core.setup.text import check_setup

        with self.place.database.atomic() as c:
            changed = change(load_setup_parts(c) or self.setup)
            self.put_setup(changed, who, refiles=refiles)
            if findings := check_setup(changed).findings:
                raise InputProblem(message("prepare.nothing-changed", said="; ".join(f.message for f in findings)))
        return changed

    def used_ids(self) -> dict[str, set[str]]:
        """Return every id that a part of the set-up ever had; new parts get others (``setup/ids.py``)."""
        with self.place.database.read() as c:
            return used_ids(c)

    def _forget_setup(self) -> None:
        with self._lock:
            self._setup, self._books = None, {}
        _ = self.setup  # read here, in the thread that wrote: a window that is told of it finds it read
        self.on_setup()

    def full_setup(self) -> Setup:
        """Return the set-up with the registers' rows, as it is exported."""
        registers = tuple(
            r.model_copy(update={"rows": tuple(tuple(e[c] for c in r.columns) for e in self.entries(r.id))})
            for r in self.setup.registers
        )
        return self.setup.model_copy(update={"registers": registers})

    def rule(self, spec: FieldSpec) -> Rule:
        """Return what a value of a field must satisfy in this repository's locale."""
        locale = self.setup.locale
        mark = "," if decimal_mark(locale) == "," else "."  # digits of other scripts are read by the OCR as they stand
        return spec.rule(decimal_mark=mark, day_first=is_day_first(locale))

    def memory_for(self, person: str) -> Memory:
        """Return what was learned of documents that a person may look at, as far as it is known now."""
        whole = self.memory()
        with self.place.database.read() as c:
            view = view_of(c, self.setup.holder(person))
            hidden = hidden_keys(c, view) if view.hidden else frozenset()
        if not hidden:
            return whole
        with self._memory_lock:
            own, last = self._memories.get(hidden, (None, 0))
            fresh = [e for e in whole.examples if e.id > last and e.document not in hidden]
            if own is None or len(own.examples) + len(fresh) != sum(e.document not in hidden for e in whole.examples):
                own, fresh = type(whole)(), [e for e in whole.examples if e.document not in hidden]
            own = own.with_examples(fresh) if fresh or not own.examples else own
            if len(self._memories) >= MOST_MEMORIES:
                self._memories.clear()
            self._memories[hidden] = own, whole.examples[-1].id if whole.examples else 0
            return own

    def memory(self) -> Memory:
        """Return what was learned of all documents, as far as it is known now; for what is shown to nobody by itself."""
        # NumPy comes with the first page that is compared, not with the start of the window.
        from keybundle.core.proposing.examples import count_examples, load_examples
        from keybundle.core.proposing.memory import Memory

        with self._memory_lock:  # its own: gathering thousands takes seconds, and the set-up is asked for meanwhile
            known = self._memory or Memory()
            with self.place.database.read() as c:
                mark = count_examples(c)
                if mark == self._memory_mark and self._memory is not None:
                    return self._memory
                fresh = load_examples(c, known.examples[-1].id if known.examples else 0)
                if len(known.examples) + len(fresh) != mark[0]:
                    known, fresh = Memory(), load_examples(c)
            self._memory, self._memory_mark = known.with_examples(fresh), mark
            return self._memory

    def calibration(self) -> Calibration:
        """Return how confidences came out so far."""
        from keybundle.core.proposing.calibration import Calibration

        with self._lock:
            if self._calibration is None:
                data = self.setting(CALIBRATION)
                self._calibration = Calibration.from_json(data) if data else Calibration()
            return self._calibration

    def bar(self, routine: Routine | None) -> float:
        """Return the score from which on values are sure under a routine."""
        if routine is None:
            return self.calibration().bar_for(Routine.model_fields["bar"].default)
        if routine.wrong_one_in:
            return self.calibration().bar_for_claim(routine.wrong_one_in)[0]
        return self.calibration().bar_for(routine.bar)

    def setting(self, name: str) -> Any:
        """Return a setting's plain data, None where it was never put."""
        with self.place.database.read() as c:
            return c.execute(select(t.setting.c.value).where(t.setting.c.name == name)).scalar()

    def put_setting(self, name: str, value: Any) -> None:
        """Keep plain data under a name."""
        with self.place.database.atomic() as c:
            c.execute(delete(t.setting).where(t.setting.c.name == name))
            c.execute(insert(t.setting).values(name=name, value=value))
            if name == CALIBRATION:
                self.place.database.after_commit(self._forget_calibration)

    def _forget_calibration(self) -> None:
        with self._lock:
            self._calibration = None

    def person(self, name: str | None) -> Person:
        """Return a person, or the first administrator; raises InputProblem for an unknown name."""
        people = self.setup.people
        if name is None:
            first = next((p for p in people if self.setup.holder(p.id).rights >= ADMINISTERS), None)
            if first is None:
                raise InputProblem(message("workspace.no-administrator-set-up-add"))
            return first
        found = called(people, name)
        if found is None:
            raise InputProblem(message("workspace.no-person-known", name=name, list=", ".join(p.name for p in people)))
        return found

    def close(self) -> None:
        """Let go of the data directory."""
        self.place.close()
