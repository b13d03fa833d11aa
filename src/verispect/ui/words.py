"""Core sentences in the language of the window."""

from __future__ import annotations

from PyQt6.QtCore import QCoreApplication

from verispect.plan.sentence import Sentence


def say(sentence: Sentence) -> str:
    """A core sentence through Qt's translation; its template is the key, in the context `core`."""
    template = QCoreApplication.translate("core", sentence.template)
    values = {key: say(value) if isinstance(value, Sentence) else value for key, value in sentence.values.items()}
    return template.format(**values)
