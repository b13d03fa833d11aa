"""Errors: one sentence as a template with its values, the same after a journey between processes."""

from __future__ import annotations

import pickle

import pytest

from verispect.errors import FileError, GeometryError, NewerVersionError, PlanError


@pytest.mark.parametrize(
    ("error", "said"),
    [
        (FileError("{path}: there is no such file", path="a.verispect"), "a.verispect: there is no such file"),
        (GeometryError("a text {with} braces of its own"), "a text {with} braces of its own"),
        (PlanError("marks", "an empty list", "add one"), "marks: found an empty list; add one"),
        (
            PlanError("marks[0]", "{depth:.2f} m", "stay before it", depth=1.234),
            "marks[0]: found 1.23 m; stay before it",
        ),
        (PlanError("k", '{"a": 1}', "be a number"), 'k: found {"a": 1}; be a number'),
        (NewerVersionError("version {n}", n=9), "version 9"),
    ],
)
def test_an_error_says_its_sentence_here_and_in_another_process(error, said) -> None:
    assert str(error) == said
    again = pickle.loads(pickle.dumps(error))
    assert type(again) is type(error)
    assert str(again) == str(again.sentence) == said


def test_the_template_is_kept_for_the_translator() -> None:
    error = PlanError("marks", "{depth:.0f} mm", "every mark must lie before it", depth=3.0)
    assert error.sentence.template == "{key}: found {found}; {right}"
    assert error.sentence.values["found"].template == "{depth:.0f} mm"
    assert error.found == "3 mm"
