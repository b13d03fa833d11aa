"""Subject: what must be sharp, where it is, and how the camera frames it, in five pages."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING, TypeVar

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtWidgets import QTabWidget, QVBoxLayout, QWidget

from verispect.ui.panels.marks import MarksPage
from verispect.ui.state.plan_document import PlanDocument

if TYPE_CHECKING:
    from verispect.ui.controls.model_form import ModelForm
    from verispect.ui.panels.areas import AreasPage
    from verispect.ui.panels.camera import CameraPage
    from verispect.ui.panels.catch import CatchPanel
    from verispect.ui.panels.marks_table import MarksModel, MarksTable
    from verispect.ui.panels.photograph import PhotographPage
    from verispect.ui.panels.stations.light import LightPage

_Page = TypeVar("_Page", bound=QWidget)


class SubjectPanel(QTabWidget):
    """Marks, areas, photograph, camera, light. All but the first are built when first wanted.

    Signals
    -------
    selected(int), surface_selected(int)
        The current mark; the current surface.
    scan_wanted, photograph_wanted
    tool_wanted(str)
        For the frame drawing.
    page_shown(str)
    light_built
        The page of the light is there for the first time.
    """

    selected = pyqtSignal(int)
    surface_selected = pyqtSignal(int)
    scan_wanted = pyqtSignal()
    photograph_wanted = pyqtSignal()
    tool_wanted = pyqtSignal(str)
    page_shown = pyqtSignal(str)
    light_built = pyqtSignal()

    def __init__(self, document: PlanDocument) -> None:
        super().__init__()
        self._document = document
        self.setDocumentMode(True)
        self.setAccessibleName(self.tr("Subject"))
        self.marks = MarksPage(document)
        self.marks.selected.connect(self.selected)
        self._places: dict[str, QWidget] = {}
        for key, page, title in (
            ("marks", self.marks, self.tr("Marks")),
            ("areas", None, self.tr("Surfaces and scans")),
            ("photograph", None, self.tr("Photograph")),
            ("camera", None, self.tr("Camera")),
            ("light", None, self.tr("Light")),
        ):
            place = QWidget()
            layout = QVBoxLayout(place)
            layout.setContentsMargins(10, 0, 10, 8)
            if page is not None:
                layout.addWidget(page)
            self._places[key] = place
            self.addTab(place, title)
        self.currentChanged.connect(self._on_page)

    # What others ask of the marks' page.

    @property
    def table(self) -> MarksTable:
        """The table of marks."""
        return self.marks.table

    @property
    def model(self) -> MarksModel:
        """The model of the table of marks."""
        return self.marks.model

    @property
    def catch(self) -> CatchPanel:
        """The ways to catch a mark."""
        return self.marks.catch

    @cached_property
    def areas(self) -> AreasPage:
        """The page of surfaces and scans."""
        from verispect.ui.panels.areas import AreasPage

        page = AreasPage(self._document, lambda: self.model.system, self.marks.chosen)
        page.scan_wanted.connect(self.scan_wanted)
        page.selected.connect(self.surface_selected)
        return self._put("areas", page)

    @cached_property
    def photograph(self) -> PhotographPage:
        """The page of the photograph."""
        from verispect.ui.panels.photograph import PhotographPage

        page = PhotographPage(self._document, lambda: self.model.system, self.marks.chosen)
        page.open_wanted.connect(self.photograph_wanted)
        page.tool_wanted.connect(self.tool_wanted)
        page.added.connect(self.table.select_mark)
        page.surface_row = lambda: max(self.areas.list.currentRow(), 0)
        return self._put("photograph", page)

    @cached_property
    def camera(self) -> CameraPage:
        """The page of the camera."""
        from verispect.ui.panels.camera import CameraPage

        return self._put("camera", CameraPage(self._document, lambda: self.model.system))

    @cached_property
    def light(self) -> LightPage:
        """The page of place, time and light."""
        from verispect.ui.panels.stations.light import LightPage

        page = self._put("light", LightPage(self._document, lambda: self.model.system))
        # Whoever fills it asks for it, which it is only when this is over.
        QTimer.singleShot(0, self.light_built.emit)
        return page

    @property
    def camera_form(self) -> ModelForm:
        """The camera's form."""
        return self.camera.form

    def _put(self, key: str, page: _Page) -> _Page:
        layout = self._places[key].layout()
        assert layout is not None
        layout.addWidget(page)
        return page

    def show_page(self, key: str) -> None:
        """Bring a page to the front: marks, areas, photograph, camera or light."""
        self.setCurrentWidget(self._places[key])

    def page(self) -> str:
        """The page in front."""
        return list(self._places)[self.currentIndex()]

    def _on_page(self, index: int) -> None:
        key = list(self._places)[index]
        getattr(self, key)
        if key != "photograph":
            self.tool_wanted.emit("")
        self.page_shown.emit(key)

    def refresh(self) -> None:
        """Show the plan as it is."""
        self.marks.refresh()
        for key in ("areas", "photograph", "camera", "light"):
            if key in self.__dict__:
                getattr(self, key).refresh()

    def add_mark(self) -> None:
        """A new mark in the table."""
        self.show_page("marks")
        self.marks.add_mark()

    def remove_mark(self) -> None:
        """Take the selected marks away."""
        self.marks.remove_mark()
