"""Document types in Prepare: the chosen one, its caption with a live example, and the fields that it asks for."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import field
from typing import Any

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.boxes import Box
from keybundle.core.base.changes import Changes
from keybundle.core.base.ids import BatchId, PageId
from keybundle.core.base.records import dataclass
from keybundle.core.fields.digits import CHECKS
from keybundle.core.fields.kinds import FILE_PROPERTIES, Kind
from keybundle.core.setup.model import NUMBERS, RANGED, DocumentType, FieldSpec, Setup
from keybundle.core.setup.parts import Named
from keybundle.core.workflows.keep.documents import filling
from keybundle.core.workflows.keep.documents.correcting import Corrected, take_back_correction
from keybundle.core.workflows.keep.documents.filling import FillShown
from keybundle.core.workflows.prepare.parts import parts
from keybundle.core.workflows.prepare.parts.parts import PartProblem
from keybundle.core.workflows.prepare.registers import choices
from keybundle.core.workflows.prepare.routines import routines
from keybundle.core.workflows.prepare.types import pointing, types
from keybundle.core.workflows.prepare.types.pointing import PointedPage
from keybundle.desktop.presenters.asking import ValueHelp, ask
from keybundle.desktop.presenters.bench_state import PageShown
from keybundle.desktop.presenters.doing import Doing
from keybundle.desktop.presenters.partly import say_rest
from keybundle.desktop.presenters.prepare.cabinets import SOURCE, source_choices, source_of
from keybundle.desktop.presenters.prepare.forms import FormField, Section, of_parts, values_of
from keybundle.desktop.presenters.prepare.parts import PartsPresenter, PartsState, Spot, say_documents
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.presenters.undoing import Undo
from keybundle.desktop.words import mark, tr, trn

ZONE_MARGIN = 0.004
FIELD, TOLD, KEY_LINES = "field", "told", 5
DEFAULTS = ("{today}", "{received}", "{operator}", "{counter Number}", "{person Office}")
RULES = {
    "words": (mark("Words like"), mark("a pattern that the words of a first page of this type hold")),
    "barcode": (mark("Barcode like"), mark("a pattern that a barcode on it fits")),
    "source": (mark("File like"), mark("a pattern that its file, with its folders, or its scanner fits")),
}


@dataclass(frozen=True)
class TypesState(PartsState):
    """What the editor of types shows besides: the chosen field with its form, and an example of the caption."""

    chosen_field: str = ""
    field_sections: tuple[Section, ...] = field(default=())
    example: str = ""
    filed: int = 0
    doing: str = ""

    @property
    def kind(self) -> DocumentType | None:
        """The type that is shown."""
        return self.part if isinstance(self.part, DocumentType) else None


class TypesPresenter(PartsPresenter):
    """State and verbs of the editor of types; every change is kept at once."""

    kind = "document_types"
    pointed = Signal(object)
    fill_shown = Signal(str, object)
    completed = Signal(str, str, object)

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        self._pointed = ""
        self._field = ""
        self._example = ""
        super().__init__(seat, parent)
        self.help = ValueHelp(seat, self)
        self.doing = Doing(seat.runner, self)
        self.doing.changed.connect(lambda: self._show(doing=self.doing.told))

    def first_state(self) -> TypesState:
        """Return the state before anything is known."""
        return TypesState()

    # -- forms --------------------------------------------------------------------------------------------------------

    def note(self, setup: Setup, part: Named) -> str:
        """Return the cabinet of a type."""
        assert isinstance(part, DocumentType)
        cabinet = setup.cabinet(part.cabinet)
        return tr("in {cabinet}", cabinet=cabinet.name) if cabinet is not None else tr("no cabinet yet")

    def form(self, setup: Setup, part: Named) -> tuple[Section, ...]:
        """Return what can be changed about a type but its fields."""
        assert isinstance(part, DocumentType)
        cabinet = setup.cabinet(part.cabinet)
        numbers = tuple((f.id, f.name) for f in part.fields if f.kind in NUMBERS and not f.several)
        dates = tuple((f.id, f.name) for f in part.fields if f.kind is Kind.DATE and not f.several)
        found = [
            Section(tr("Document type"), (
                FormField("name", tr("Name"), longest=80),
                FormField("cabinet", tr("Cabinet"), "pick", choices=of_parts(setup.cabinets), none=tr("none yet"),
                          make=tr("Make a new cabinet")),
                FormField("kept_to", tr("Who may use it"), "kept to", choices=self._s.say_grantees(), unit=part.name),
            )),
            Section(tr("Caption and key"), (
                FormField("caption", tr("Caption"), hint=tr("such as {Supplier} {Bill number}"),
                          offers=tuple(types.prepared_captions(part)),
                          help=tr("The name that a document shows in lists; here: {example}", example=self._example)),
                FormField("key", tr("Key"), "picks", longest=KEY_LINES, choices=tuple((f.id, f.name) for f in part.fields),
                          help=tr("Fields that tell one document from another: one filed with the same values is warned of.")),
            )),
            Section(tr("Told on paper by"), (
                FormField("words", tr("Heading words"), "list", help=tr("Words that head a page of this type.")),
                *(FormField(f"{TOLD} {on}", tr(label), hint=tr(hint)) for on, (label, hint) in RULES.items()),
            ), help=tr("A pattern decides the type by itself, before any guess.")),
        ]  # fmt: skip
        if cabinet is not None and cabinet.folder_fields:
            choices = source_choices(part)
            found.insert(1, Section(tr("Its folder in {cabinet}", cabinet=cabinet.name), tuple(
                FormField(f"{SOURCE} {part.id} {level.id}", level.name, "pick", choices=choices,
                          none=tr("nothing says it yet"))
                for level in cabinet.folder_fields
            )))  # fmt: skip
        if len(numbers) > 1 or len(dates) > 1:
            found.append(Section(tr("Checks between fields"), (
                FormField("sums", tr("Sums"), "sums", choices=numbers, help=tr("Amounts that do not add up are unsure.")),
                FormField("order", tr("Days in order"), "orders", choices=dates),
            )))  # fmt: skip
        return tuple(found)

    def _field_form(self, setup: Setup, spec: FieldSpec) -> tuple[Section, ...]:
        """Return what can be changed about one field; what its kind has no use for is not asked."""

        def f(path: str, label: str, kind: str = "line", **more: Any) -> FormField:
            return FormField(f"{FIELD} {spec.id} {path}", label, kind, **more)

        asks = [
            f("kind", tr("Kind"), "pick", choices=tuple((k.value, tr(k.value)) for k in Kind)),
            f("required", tr("Must be filled"), "check"),
            f("several", tr("May hold several values"), "check"),
            f("carry", tr("Carried over from the document before"), "check"),
        ]
        if spec.kind is Kind.CHOICE:
            asks[1:1] = [
                f("choices", tr("Choices"), "lines", hint=tr("one on each line; a whole column can be pasted")),
                f("more_choices", tr("Add those of"), "pick", choices=_choice_sources(setup), none=tr("nothing else")),
            ]
        registers = of_parts(setup.registers)
        if spec.kind in (Kind.REGISTER, Kind.TEXT):
            asks.insert(1, f("register_name", tr("Register"), "pick", choices=registers, none=tr("none"),
                             make=tr("Make a new register"), help=tr("Values are looked up there.")))  # fmt: skip
            if (register := setup.register(spec.register_name)) is not None:
                asks.insert(2, f("column", tr("Its column"), "pick", choices=tuple((c, c) for c in register.columns),
                                 none=register.key))  # fmt: skip
        reads = [
            f("labels", tr("Labels on paper"), "list", help=tr("Words that stand beside the value, apart by commas."))
        ]
        if spec.kind in (Kind.TEXT, Kind.REGISTER, Kind.WHOLE):
            reads += [
                f("example", tr("Looks like"), hint=tr("an example, such as PO-20417")),
                f(
                    "pattern",
                    tr("Expression behind it"),
                    help=tr("An example writes it; it can be typed by who knows how."),
                ),
                f("check", tr("Check digits"), "pick", choices=tuple((c, c) for c in CHECKS), none=tr("none")),
            ]
        if spec.kind in RANGED:
            like = "2026-03-31" if spec.kind is Kind.DATE else "1234.50"
            reads += [
                f("low", tr("Least"), "value", unit=spec.unit, hint=tr("such as {like}", like=like)),
                f("high", tr("Greatest"), "value", unit=spec.unit, hint=tr("such as {like}", like=like)),
            ]
        if spec.kind in (Kind.WHOLE, Kind.DECIMAL):
            reads.append(f("unit", tr("Unit"), hint=tr("such as m or kg"), longest=12))
        reads += [
            f("help", tr("Help"), hint=tr("a line for who types the value")),
            f("default", tr("Default"), "value", unit=spec.unit,
              help=tr("A value, {today}, {received}, {operator}, {counter NAME} or {person FIELD}; unsure until confirmed.")),
            f("file_property", tr("File property"), "pick", choices=tuple((p, tr(p)) for p in FILE_PROPERTIES), none=tr("none")),
            f("zone", tr("Place on the page"), "zone"),
        ]  # fmt: skip
        return Section(tr("Field"), tuple(asks)), Section(tr("How it is read and checked"), tuple(reads))

    def complete(self, name: str, typed: str) -> None:
        """Ask for the type-ahead list of a field's default: what can stand there for any field, then its own values."""
        asked = ask(self.state.kind, name.removeprefix(f"{FIELD} ").removesuffix(" default"))
        fixed = [(told, "") for told in DEFAULTS if told.startswith(typed)]
        if asked is not None:
            self.help.complete(asked, typed, lambda found: self.completed.emit(name, typed, [*found, *fixed]))

    def more(self, setup: Setup, part: Named | None) -> dict[str, Any]:
        """Return the chosen field with its form."""
        if not isinstance(part, DocumentType) or not part.fields:
            return {"chosen_field": "", "field_sections": ()}
        spec = part.field(self._field) or part.fields[0]
        self._field = spec.id
        return {"chosen_field": spec.id, "field_sections": self._field_form(setup, spec)}

    def values(self, setup: Setup, part: Named, sections: tuple[Section, ...]) -> dict[str, Any]:
        """Return what a type has in each field of its forms: names where people read names."""
        assert isinstance(part, DocumentType)
        plain = [s for s in sections if not any(f.name.startswith(f"{SOURCE} ") for f in s.fields)]
        own = values_of(part, [Section(s.title, tuple(f for f in s.fields if " " not in f.name)) for s in plain])
        cabinet = setup.cabinet(part.cabinet)
        levels = cabinet.levels if cabinet is not None else ()
        spec = part.field(self._field) or (part.fields[0] if part.fields else None)
        asked = {} if spec is None else {
            f"{FIELD} {spec.id} {path}": value for path, value in dict(spec).items()
        }  # fmt: skip
        if spec is not None:
            asked |= {f"{FIELD} {spec.id} example": "", f"{FIELD} {spec.id} more_choices": ""}
        return {
            **own, "caption": types.in_words(part)["caption"],
            **{f"{TOLD} {on}": pattern for on, pattern in types.told_patterns(part).items()},
            **{f"{SOURCE} {part.id} {level}": source_of(part, level) for level in levels},
            **asked,
        }  # fmt: skip

    # -- changing -----------------------------------------------------------------------------------------------------

    def change(self, changes: Mapping[str, Any]) -> None:
        """Change the chosen type; what choices are taken from is looked up first."""
        name, source = next(iter(changes.items()))
        kind, session = self.state.kind, self._s.session
        spec = kind.field(self._field) if kind is not None else None
        if spec is None or name != f"{FIELD} {spec.id} more_choices":
            super().change(changes)
            return
        how, of, which = str(source).split("\t")
        take = choices.choices_of_register if how == "register" else choices.choices_of_folders

        def done(found: tuple[str, ...]) -> None:
            now = self.state.kind.field(spec.id) if self.state.kind is not None else None
            if now is not None:
                self.change({f"{FIELD} {spec.id} choices": tuple(dict.fromkeys((*now.choices, *found)))})

        self._s.runner.query(
            lambda: take(session, of, which), done, key="choices", owner=self, on_error=self._could_not
        )

    def with_changes(self, part: Any, changes: Mapping[str, Any]) -> Any:
        """Return a type as a change makes it; its path says whether it is of the type, a field, a rule or the folder."""
        name, value = next(iter(changes.items()))
        if name == "fields":
            used = self._s.workspace.used_ids().get(f"document_types/{part.id}", set())
            changed = types.with_fields(part, value, used)
            fresh = [f.id for f in changed.fields if part.field(f.id) is None]
            self._field = fresh[-1] if fresh else self._field
            return changed
        if name.startswith(f"{FIELD} "):
            return self._with_field(part, name, value)
        if name.startswith(f"{TOLD} "):
            return types.change_told(part, name.removeprefix(f"{TOLD} "), value)
        if name.startswith(f"{SOURCE} "):
            level = name.removeprefix(f"{SOURCE} {part.id} ")
            return types.change_type(part, {"folder": {**part.folder, level: value}})
        if name == "caption":
            return types.change_type(part, types.from_words(part, {"caption": value}))
        if name == "cabinet":
            return types.change_type(part, {"cabinet": value, "folder": {}})
        return types.change_type(part, changes)

    def _with_field(self, part: DocumentType, name: str, value: Any) -> DocumentType:
        spec = next(f for f in part.fields if name.startswith(f"{FIELD} {f.id} "))
        path = name.removeprefix(f"{FIELD} {spec.id} ")
        if path == "example":
            path, value = "pattern", pointing.pattern_like(value)
        if path in ("low", "high"):
            value = types.read_limit(self._s.session, spec, value)
        try:
            return types.change_field(part, spec.id, {path: value})
        except PartProblem as error:
            raise PartProblem({f"{FIELD} {spec.id} {at}": said for at, said in error.at.items()}) from error

    def tell_kept(self, part: Named, touched: int) -> str:
        """Return what is said once a type is kept; what is filed stays as it is."""
        stay = (
            tr(" What is filed already stays as it is: {documents}.", documents=say_documents(touched))
            if touched
            else ""
        )
        return tr("Kept: {name}.{stay}", name=part.name, stay=stay)

    def choose_field(self, field_id: str) -> None:
        """Show another field."""
        if field_id and field_id != self._field and self.state.part is not None:
            self._field = field_id
            self._show_part(self._s.workspace.setup, self.state.part)

    def choose(self, part_id: str) -> None:
        """Show another type, at its first field."""
        if part_id != self.state.chosen:
            self._field, self._example = "", ""
        super().choose(part_id)

    @property
    def spot(self) -> Spot:
        return self.state.chosen, self._field

    def go_to(self, spot: Spot) -> None:
        """Show a type, at one of its fields."""
        self.choose(spot[0])
        kind = self.state.kind
        if kind is not None and kind.field(spot[1]) is not None:
            self.choose_field(spot[1])

    def make_cabinet(self) -> None:
        """Make a cabinet for this type, and go there."""
        self._make("cabinets", "cabinet")

    def make_register(self) -> None:
        """Make a register for the chosen field, and go there."""
        self._make("registers", f"{FIELD} {self._field} register_name")

    def _make(self, kind: str, name: str) -> None:
        session, part = self._s.session, self.state.part
        if part is None:
            return
        wanted = part.name if kind == "cabinets" else self.state.kind.label(self._field)
        free = parts.free_name(wanted, [p.name for p in getattr(self._s.workspace.setup, kind)])

        change = self.bound(self.change)

        def done(made: str) -> None:
            change({name: made})
            self.opened.emit(kind, made)

        self._s.runner.change(
            lambda: parts.add_part(session, kind, free), done, lane="setup", owner=self, on_error=self._could_not
        )

    # -- the example of the caption -----------------------------------------------------------------------------------

    def was_shown(self) -> None:
        """Ask for an example of the caption."""
        kind, session = self.state.kind, self._s.session
        if kind is not None:
            self._ask_example(kind)
            self._s.runner.query(
                lambda: filling.count_filed(session, kind.id), lambda n: self._show(filed=n), key="filed", owner=self
            )

    def try_caption(self, caption: str) -> None:
        """Show what a caption makes of a filed document while it is typed."""
        kind = self.state.kind
        if kind is not None:
            self._ask_example(kind.model_copy(update=types.from_words(kind, {"caption": caption})))

    def _ask_example(self, kind: DocumentType) -> None:
        def done(example: str) -> None:
            if example != self._example and self.state.part is not None:
                self._example = example
                self._show_part(self._s.workspace.setup, self.state.part, example=example)

        self._s.runner.query(lambda: types.example_caption(self._s.session, kind), done, key="example", owner=self)

    # -- filling what is filed already ------------------------------------------------------------------------------------

    def show_fill(self, how: filling.How, text: str) -> None:
        """Show what filling the chosen field in documents that are filed would do."""
        session, kind, spec = self._s.session, self.state.chosen, self._field

        def done(found: FillShown) -> None:
            head = trn("{n:,} document has no value.", "{n:,} documents have no value.", found.empty)
            self.fill_shown.emit(
                head, tuple((caption, value or tr("nothing found")) for caption, value in found.examples)
            )

        self._s.runner.query(
            lambda: filling.show_fill(session, kind, spec, how, text), done, key="fill", owner=self,
            on_error=lambda told: self.fill_shown.emit(told, ()),
        )  # fmt: skip

    def fill(self, how: filling.How, text: str) -> None:
        """Fill the chosen field in documents where it is empty; Undo takes all of it back."""
        session, kind, spec = self._s.session, self.state.chosen, self._field

        def done(found: Corrected) -> None:
            self.said.emit(tr("{documents} filled", documents=say_documents(len(found.versions))))
            if rest := say_rest(found):
                self.failed.emit(rest)
            self._editing.note(Undo(tr("filled"), lambda: take_back_correction(session, found)))
            self._s.bus.tell(Changes(repository=True))
            self.refresh()

        self.doing.begin(
            tr("Filling"),
            lambda tell, cancel: filling.fill_field(session, kind, spec, how, text, progress=tell, cancel=cancel), done,
            self._could_not, owner=self,
        )  # fmt: skip

    # -- pointing -----------------------------------------------------------------------------------------------------

    def point(self, offset: int = 0) -> None:
        """Show a first page of the type (else any page of the newest batch) to point at, or the next one from there."""
        s, before, kind = self._s, self._pointed, self.state.chosen

        def load() -> PointedPage | None:
            samples = [sample.id for sample in routines.list_samples(s.session, 5)]
            batch = pointing.choose_sample(s.session, samples, kind)
            if batch is None:
                return None
            ids = pointing.pages_to_point_at(s.session, BatchId(batch), kind)
            here = ids.index(before) + offset if offset and before in ids else 0
            return pointing.load_page(s.session, s.pool, BatchId(batch), PageId(ids[max(0, min(len(ids) - 1, here))]))

        def done(found: PointedPage | None) -> None:
            if found is None:
                self.failed.emit(tr("There is no page to point at; scan or import a sample batch first."))
                return
            self._pointed = found.id
            words = found.text.words if found.text else ()
            self.pointed.emit(
                PageShown(found.id, str(found.picture), found.width, found.height, words, told=found.told)
            )

        s.runner.query(load, done, key="point type", on_error=self.failed.emit)

    def take_zone(self, shown: PageShown, box: Box) -> None:
        """Let the chosen field stand in a zone of every first page."""
        zone = pointing.zone_of(box, shown.width, shown.height, margin=ZONE_MARGIN).model_dump()
        self.change({f"{FIELD} {self._field} zone": zone})


def _choice_sources(setup: Setup) -> tuple[tuple[str, str], ...]:
    """Return what choices can be taken from: columns of registers, levels of cabinets."""
    columns = [
        (f"register\t{r.id}\t{column}", tr("{register}: {column}", register=r.name, column=column))
        for r in setup.registers for column in r.columns
    ]  # fmt: skip
    levels = [
        (f"folders\t{c.id}\t{level.id}", tr("folders of {cabinet}: {level}", cabinet=c.name, level=level.name))
        for c in setup.cabinets for level in c.folder_fields
    ]  # fmt: skip
    return (*columns, *levels)
