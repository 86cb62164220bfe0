"""The pages of Prepare, in the order of its list: what each is called, how it is made, and what it tells the window."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QWidget

from keybundle.core.base.records import dataclass
from keybundle.core.rights.model import Right
from keybundle.desktop.actions.handlers import Handlers
from keybundle.desktop.presenters.access import Spot
from keybundle.desktop.presenters.prepare.areas import AreasPresenter
from keybundle.desktop.presenters.prepare.cabinets import CabinetsPresenter
from keybundle.desktop.presenters.prepare.folders import FoldersPresenter
from keybundle.desktop.presenters.prepare.kept import KeptPresenter
from keybundle.desktop.presenters.prepare.learned import LearnedPresenter
from keybundle.desktop.presenters.prepare.missing import MissingPresenter, MissingState
from keybundle.desktop.presenters.prepare.people import GroupsPresenter, PeoplePresenter, RolesPresenter
from keybundle.desktop.presenters.prepare.registers import RegistersPresenter
from keybundle.desktop.presenters.prepare.repository import RepositoryPresenter
from keybundle.desktop.presenters.prepare.routines import RoutinesPresenter
from keybundle.desktop.presenters.prepare.tags import TagsPresenter
from keybundle.desktop.presenters.prepare.types import TypesPresenter
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.views.prepare.areas_view import AreasView
from keybundle.desktop.views.prepare.cabinets_editor import CabinetsEditor
from keybundle.desktop.views.prepare.folders_view import FoldersView
from keybundle.desktop.views.prepare.kept_view import KeptView
from keybundle.desktop.views.prepare.learned_view import LearnedView
from keybundle.desktop.views.prepare.missing_view import MissingView
from keybundle.desktop.views.prepare.people_view import PeopleView
from keybundle.desktop.views.prepare.prepare_view import Page, PrepareView
from keybundle.desktop.views.prepare.registers_view import RegistersView
from keybundle.desktop.views.prepare.repository_view import RepositoryView
from keybundle.desktop.views.prepare.routine_view import RoutineView
from keybundle.desktop.views.prepare.tags_view import TagsView
from keybundle.desktop.views.prepare.types_view import TypesView
from keybundle.desktop.words import tr

MISSING, ROUTINES, CABINETS, TYPES, REGISTERS = "missing", "routines", "cabinets", "types", "registers"
PEOPLE, KEPT, FOLDERS, TAGS, AREAS = "people", "kept", "folders", "tags", "areas"
REPOSITORY, LEARNED = "repository", "learned"
PREPARERS = (MISSING, AREAS, FOLDERS)


@dataclass(frozen=True)
class Outside:
    """What pages ask of the window: to listen, warn, show a sheet, keep a thing to somebody, browse, open or move data."""

    listen: Callable[..., None]
    warn: Callable[[str], None]
    sheet: Callable[[Any], None]
    keep: Callable[[Spot], None]
    browse: Callable[[str], None]
    other: Callable[[], None]
    move: Callable[[str], None]


class _Maker:
    """Makes the pages when they are first shown, and joins what they tell."""

    def __init__(self, seat: Seat, parent: QObject, outside: Outside) -> None:
        self._s, self._parent, self._out = seat, parent, outside
        self.place: PrepareView | None = None
        self.missing = MissingPresenter(seat, parent)

    def pages(self) -> tuple[Page, ...]:
        """Return the pages for who is at work here."""
        all_pages = (
            Page(MISSING, tr("Not ready yet"), self._missing, _refresh),
            Page(ROUTINES, tr("Routines"), lambda: self._part(RoutineView(RoutinesPresenter(self._s, self._parent))),
                 _refresh_part, ("routines",), _lack),
            Page(CABINETS, tr("Cabinets"), self._cabinets, _refresh_part, ("cabinets",), _lack),
            Page(TYPES, tr("Document types"), lambda: self._part(TypesView(TypesPresenter(self._s, self._parent))),
                 _refresh_part, ("document_types",), _lack),
            Page(REGISTERS, tr("Registers"), lambda: self._part(RegistersView(RegistersPresenter(self._s, self._parent))),
                 _refresh_part, ("registers",), _lack),
            Page(PEOPLE, tr("People"), self._people, _refresh, ("people", "groups", "roles"), _lack),
            Page(KEPT, tr("Kept to"), self._kept, _refresh),
            Page(FOLDERS, tr("Folders"), self._folders, _refresh, lack=_lack),
            Page(TAGS, tr("Tags"), self._tags, _refresh, lack=_lack),
            Page(AREAS, tr("Storage areas"), self._areas, _refresh_part, ("storage_areas",), _lack),
            Page(REPOSITORY, tr("Repository"), self._repository, _refresh, lack=_lack),
            Page(LEARNED, tr("Learned"), self._learned, _refresh_part),
        )  # fmt: skip
        may = self._s.may(Right.PREPARE)
        gives = self._s.may(Right.GIVE_RIGHTS)
        shown = (page for page in all_pages if may or page.code not in PREPARERS)
        return tuple(page for page in shown if gives or page.code != KEPT)

    def _part(self, view: Any) -> QWidget:
        self._join(view, view.presenter)
        return view

    def _join(self, view: Any, *presenters: Any) -> None:
        self._out.listen(*presenters)
        assert self.place is not None
        view.part_opened.connect(self.place.show_part)
        view.sheet_asked.connect(self._out.sheet)
        for presenter in presenters:
            presenter.opened.connect(self.place.show_part)

    def _missing(self) -> QWidget:
        view = MissingView(self.missing)
        self._out.listen(self.missing)
        assert self.place is not None
        self.missing.opened.connect(self.place.show_part)
        return view

    def _cabinets(self) -> QWidget:
        view = CabinetsEditor(CabinetsPresenter(self._s, self._parent))
        view.keeping_asked.connect(lambda cabinet: self._out.keep(Spot(cabinet)))
        view.browse_asked.connect(self._out.browse)
        return self._part(view)

    def _people(self) -> QWidget:
        own = [make(self._s, self._parent) for make in (PeoplePresenter, GroupsPresenter, RolesPresenter)]
        view = PeopleView(*own)
        self._join(view, *own)
        return view

    def _kept(self) -> QWidget:
        presenter = KeptPresenter(self._s, self._parent)
        self._out.listen(presenter)
        view = KeptView(presenter)
        view.spot_asked.connect(self._out.keep)
        return view

    def _folders(self) -> QWidget:
        presenter = FoldersPresenter(self._s, self._parent)
        self._out.listen(presenter)
        view = FoldersView(presenter)
        view.sheet_asked.connect(self._out.sheet)
        return view

    def _tags(self) -> QWidget:
        presenter = TagsPresenter(self._s, self._parent)
        self._out.listen(presenter)
        return TagsView(presenter)

    def _areas(self) -> QWidget:
        return self._part(AreasView(AreasPresenter(self._s, self._parent)))

    def _repository(self) -> QWidget:
        presenter = RepositoryPresenter(self._s, self._parent)
        self._out.listen(presenter)
        view = RepositoryView(presenter)
        view.other_asked.connect(self._out.other)
        view.move_asked.connect(self._out.move)
        return view

    def _learned(self) -> QWidget:
        presenter = LearnedPresenter(self._s, self._parent)
        self._out.listen(presenter)
        return LearnedView(presenter)


def _refresh(view: Any) -> None:
    view.refresh()


def _lack(view: Any, command_id: str) -> str:
    return str(view.lack(command_id))


def _refresh_part(view: Any) -> None:
    view.presenter.refresh()


def make_place(seat: Seat, parent: QObject, outside: Outside) -> PrepareView:
    """Return the prepare place with its pages, at what is not ready yet where something is."""
    maker = _Maker(seat, parent, outside)
    place = maker.place = PrepareView(maker.pages(), Handlers(seat.may, outside.warn), seat.remembered)

    def counted(state: MissingState) -> None:
        if MISSING in place.pages:
            place.mark(MISSING, state.stopping)

    maker.missing.changed.connect(counted)
    maker.missing.refresh()
    return place
