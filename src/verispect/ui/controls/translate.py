"""Core sentences in the language of the window."""

from __future__ import annotations

import html

from PyQt6.QtCore import QCoreApplication

from verispect.errors import VerispectError
from verispect.sentence import Sentence


def say(sentence: Sentence) -> str:
    """A core sentence through Qt's translation; its template is the key, in the context `core`."""
    return sentence.told(say, QCoreApplication.translate("core", sentence.template))


def say_error(error: Exception) -> str:
    """What an error says, in the language of the window."""
    if isinstance(error, VerispectError):
        return say(error.sentence)
    return QCoreApplication.translate("core", str(error))


def heading(text: str) -> str:
    """Rich text that stands out by its size: a variable font has no bold face in rich text."""
    return f'<span style="font-size:12pt">{html.escape(text)}</span>'


def counted_frames(count: int, shots: int | None = None) -> str:
    """The number of frames in words, and how often each is taken where `shots` are more."""
    frames = (
        QCoreApplication.translate("words", "1 frame")
        if count == 1
        else QCoreApplication.translate("words", "{0} frames").format(count)
    )
    if not count or shots is None or shots == count:
        return frames
    if shots % count:
        return QCoreApplication.translate("words", "{0}, {1} shots").format(frames, shots)
    return f"{frames} × {shots // count}"
