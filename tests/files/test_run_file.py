"""`run.json` in any state a file can be in."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from verispect.errors import FileError
from verispect.files.run_file import Run, RunFrame, read_run, write_run


def test_what_is_not_known_is_kept(tmp_path: Path) -> None:
    """Fields of a later version are handed on."""
    run = Run.model_validate({"method": "series", "frames": [{"file": "a.tif", "weather": "rain"}], "later": [1]})
    write_run(run, tmp_path / "run.json")
    again = read_run(tmp_path / "run.json")
    assert again == run
    assert again.model_extra == {"later": [1]}


@given(
    st.lists(
        st.builds(
            RunFrame,
            file=st.none() | st.text(min_size=1, max_size=8),
            exposure=st.none() | st.integers(0, 99),
            happened=st.dictionaries(
                st.text(max_size=5), st.floats(allow_nan=False, allow_infinity=False), max_size=3
            ),
        ),
        max_size=4,
    )
)
def test_any_run_is_read_as_it_was_written(tmp_path_factory, frames: list[RunFrame]) -> None:
    path = tmp_path_factory.mktemp("r") / "run.json"
    run = Run(plan=None, method="tilt", frames=frames)
    write_run(run, path)
    assert read_run(path) == run


@pytest.mark.parametrize(
    ("content", "said"),
    [
        (b"", "no JSON"),
        (b"\xff\xfe\x00", "no JSON"),
        (b'{"format": "verispect-run", "frames": [', "cut"),
        (b"[1, 2]", "holds no object"),
        (b'{"format": "verispect-plan"}', "no run"),
        (b'{"format": "verispect-run", "frames": [{"exposure": -1}]}', r"frames\.0\.exposure"),
        (b'{"format": "verispect-run", "frames": 7}', "frames"),
        (b"[" * 100_000, "no JSON"),
    ],
)
def test_what_is_no_run_is_told_in_one_sentence(tmp_path: Path, content: bytes, said: str) -> None:
    path = tmp_path / "run.json"
    path.write_bytes(content)
    with pytest.raises(FileError, match=said) as told:
        read_run(path)
    assert "\n" not in str(told.value)
    assert str(path) in str(told.value)


def test_a_missing_file_is_told(tmp_path: Path) -> None:
    with pytest.raises(FileError, match="No such file"):
        read_run(tmp_path / "gone.json")


def test_it_is_plain_json_that_others_read(tmp_path: Path) -> None:
    write_run(Run(method="série"), tmp_path / "run.json")
    assert json.loads((tmp_path / "run.json").read_text(encoding="utf-8"))["method"] == "série"
