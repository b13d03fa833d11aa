"""What is remembered of a person between starts: units, theme, paper, recent files, the last kit."""

from __future__ import annotations

from pathlib import Path

from pydantic import ValidationError
from PyQt6.QtCore import QLocale, QSettings

from verispect.kit.equipment import Kit

_RECENT = 8
_PICTURES = 500


class Preferences:
    """Typed access to the settings file; whatever is damaged there counts as not set."""

    def __init__(self, settings: QSettings) -> None:
        self._settings = settings

    @property
    def folder(self) -> Path:
        """Where the settings lie."""
        return Path(self._settings.fileName()).parent

    @property
    def system(self) -> str:
        """How lengths are written: "metric" or "imperial"."""
        return "imperial" if self._text("lengths") == "imperial" else "metric"

    @system.setter
    def system(self, value: str) -> None:
        self._settings.setValue("lengths", value)

    @property
    def theme(self) -> str:
        """Name of the theme."""
        return self._text("theme") or "light"

    @theme.setter
    def theme(self, value: str) -> None:
        self._settings.setValue("theme", value)

    @property
    def paper(self) -> str:
        """ "A4" or "Letter": as chosen, or as usual where the person lives."""
        chosen = self._text("paper")
        if chosen:
            return chosen
        letter = QLocale.system().territory() in (QLocale.Country.UnitedStates, QLocale.Country.Canada)
        return "Letter" if letter else "A4"

    @paper.setter
    def paper(self, value: str) -> None:
        self._settings.setValue("paper", value)

    @property
    def recent(self) -> list[Path]:
        """Files opened or saved lately, newest first, those that are still there."""
        return [path for path in map(Path, self._names("recent")) if path.exists()]

    def remember(self, path: Path) -> None:
        """Put a file at the top of the recent ones."""
        path = path.absolute()
        names = [str(path), *(str(old) for old in self.recent if old != path)]
        self._settings.setValue("recent", names[:_RECENT])

    def knows_picture(self, path: Path) -> bool:
        """Whether this person has once said that a picture may be opened."""
        return str(path) in self._names("pictures")

    def know_picture(self, path: Path) -> None:
        """A picture may be opened from now on, whatever plan names it."""
        names = [str(path), *(old for old in self._names("pictures") if old != str(path))]
        self._settings.setValue("pictures", names[:_PICTURES])

    def _names(self, key: str) -> list[str]:
        stored = self._settings.value(key, [])
        return [stored] if isinstance(stored, str) else [str(name) for name in stored or []]

    @property
    def kit(self) -> Kit | None:
        """The kit of the last plan that had one; none where nothing sound was kept."""
        try:
            return Kit.model_validate_json(self._text("kit")) if self._text("kit") else None
        except ValidationError:
            return None

    @kit.setter
    def kit(self, value: Kit) -> None:
        self._settings.setValue("kit", value.model_dump_json(exclude_defaults=True))

    def _text(self, key: str) -> str:
        return str(self._settings.value(key, "") or "")
