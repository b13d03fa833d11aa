"""What the commands share: options, exit codes, progress, one JSON object on stdout."""

from __future__ import annotations

import argparse
import json
import math
import os
import sys
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from verispect.errors import FileError, GeometryError, PlanError

if TYPE_CHECKING:
    from verispect.keep.book import Book
    from verispect.kit.equipment import Kit
    from verispect.kit.lens import Lens
    from verispect.plan.document import Plan
    from verispect.plan.methods.candidate import Candidate

DONE, FAILED, BAD_INPUT, STOPPED = 0, 1, 2, 130


class _Parser(argparse.ArgumentParser):
    """Says what is wrong in one sentence."""

    def error(self, message: str) -> Any:
        self.exit(BAD_INPUT, f"{self.prog}: {message}; see {self.prog} --help\n")


def parser(name: str, description: str, *, pictures: bool = False) -> argparse.ArgumentParser:
    """A command's parser, with --json and --quiet, and what holds for all that read pictures."""
    made = _Parser(prog=f"verispect {name}", description=description)
    made.add_argument("--json", action="store_true", help="print one JSON object")
    made.add_argument("--quiet", action="store_true", help="no progress on stderr")
    if pictures:
        made.add_argument("--jobs", type=whole("--jobs", 1, 256), default=os.cpu_count() or 1, metavar="N",
                          help="processes")  # fmt: skip
        made.add_argument("--memory-mb", type=whole("--memory-mb", 200, 10**6), default=2500, metavar="N",
                          help="ceiling")  # fmt: skip
    return made


def whole(name: str, least: int, most: int) -> Callable[[str], int]:
    """A whole number within limits, for argparse."""

    def read(text: str) -> int:
        try:
            value = int(text)
        except ValueError:
            raise argparse.ArgumentTypeError(f"{name} takes a whole number, not {text!r}") from None
        if not least <= value <= most:
            raise argparse.ArgumentTypeError(f"{name} must lie between {least} and {most}, not {value}")
        return value

    return read


def above_zero(name: str, *, infinite: bool = False) -> Callable[[str], float]:
    """A number above 0, for argparse."""

    def read(text: str) -> float:
        try:
            value = float(text)
        except ValueError:
            raise argparse.ArgumentTypeError(f"{name} takes a number, not {text!r}") from None
        if not value > 0.0 or (math.isinf(value) and not infinite):
            raise argparse.ArgumentTypeError(f"{name} must be above 0, not {text!r}")
        return value

    return read


def size(text: str) -> tuple[int, int]:
    """`WxH` in pixels, for argparse."""
    parts = text.lower().replace("×", "x").split("x")
    if len(parts) != 2 or not all(part.strip().isdigit() for part in parts):
        raise argparse.ArgumentTypeError(f"write WxH, such as 1200x800, not {text!r}")
    wide, high = (int(part) for part in parts)
    if not (16 <= wide <= 40_000 and 16 <= high <= 40_000):
        raise argparse.ArgumentTypeError(f"16 to 40000 pixels each way, not {text!r}")
    return wide, high


def tell(told: dict[str, Any], table: str, *, as_json: bool) -> None:
    """Print the JSON object, or the table."""
    print(json.dumps(told, ensure_ascii=False, allow_nan=False) if as_json else table)


def progress(quiet: bool) -> Callable[[float, str], None]:
    """Progress on stderr where that is a terminal."""
    shown = not quiet and sys.stderr.isatty()

    def say(share: float, text: str) -> None:
        if shown:
            end = "\n" if share >= 1.0 else ""
            print(f"\r{text} {100 * share:3.0f} %\x1b[K", end=end, file=sys.stderr, flush=True)

    return say


def read_plan_of(path: Path) -> Plan:
    """The plan of a file."""
    from verispect.files.plan_file import read_plan

    return read_plan(path)


def offer_keeping(options_of: argparse.ArgumentParser) -> None:
    """The options of a test whose result may be kept in a lens of a new plan."""
    options_of.add_argument("--plan", type=Path, metavar="PLAN")
    options_of.add_argument("--lens", metavar="NAME", help="of the plan's kit")
    options_of.add_argument("--out", type=Path, metavar="F", help="write the plan with the result kept in that lens")
    options_of.add_argument("--force", action="store_true", help="write over what is there")


def offer_keeping_in_kit(options_of: argparse.ArgumentParser) -> None:
    """The options of a test whose result may be kept in the kit of a new plan."""
    options_of.add_argument("--plan", type=Path, metavar="PLAN")
    options_of.add_argument("--out", type=Path, metavar="F", help="write the plan with the result kept in its kit")
    options_of.add_argument("--force", action="store_true", help="write over what is there")


def may_keep_in_kit(options: argparse.Namespace) -> None:
    """A FileError where --out has no plan to be kept in."""
    if options.out is not None and options.plan is None:
        raise FileError("--out needs --plan: in which plan is the result to be kept?")


def keep_in_kit(options: argparse.Namespace, change: Callable[[Kit], Kit]) -> None:
    """Write the plan that the options name with its kit changed, where that is asked for."""
    if options.out is None:
        return
    from verispect.files.picture_out import not_over
    from verispect.files.plan_file import write_plan

    plan = read_plan_of(options.plan)
    not_over(options.out, force=options.force)
    write_plan(plan.model_copy(update={"kit": change(plan.kit)}), options.out)


Act = Callable[["Book", argparse.Namespace], None]


def book_options(
    name: str, description: str, acts: Sequence[str]
) -> tuple[argparse.ArgumentParser, Callable[[str, str], argparse.ArgumentParser]]:
    """A parser of a command on the book, and what adds one of its acts with its help."""
    options_of = parser(name, description)
    what = options_of.add_subparsers(dest="what", required=True, metavar="|".join(acts))
    common = argparse.ArgumentParser(add_help=False)
    common.add_argument("--book", type=Path, metavar="F", help="another book")
    common.add_argument("--json", action="store_true", default=argparse.SUPPRESS)
    common.add_argument("--quiet", action="store_true", default=argparse.SUPPRESS)
    return options_of, lambda act, help_text: what.add_parser(act, parents=[common], help=help_text)


def with_book(options: argparse.Namespace, acts: Mapping[str, Act]) -> int:
    """Do one of the acts with the book that the options name."""
    from verispect.keep.book import Book

    book = Book(options.book)
    try:
        acts[options.what](book, options)
    finally:
        book.close()
    return DONE


def plan_and_lens(options: argparse.Namespace) -> tuple[Plan | None, Lens | None]:
    """The plan and its lens that a test's options name; a FileError where --out has nothing to be kept in."""
    plan = None if options.plan is None else read_plan_of(options.plan)
    lens = None if plan is None or options.lens is None else lens_named(plan, options.lens, options.plan)
    if options.out is not None and lens is None:
        raise FileError("--out needs --plan and --lens: in which lens is the result to be kept?")
    return plan, lens


def lens_named(plan: Plan, name: str, path: Path) -> Lens:
    """The lens of a plan's kit by its name."""
    for lens in plan.kit.lenses:
        if lens.name == name:
            return lens
    have = ", ".join(lens.name for lens in plan.kit.lenses) or "none"
    raise FileError("{path}: no lens is called {name!r}; the kit has {have}", path=path, name=name, have=have)


def write_with_lens(plan: Plan, lens: Lens, changed: dict[str, object], out: Path, *, force: bool) -> None:
    """Write a plan in which a lens has something new."""
    from verispect.files.picture_out import not_over
    from verispect.files.plan_file import write_plan
    from verispect.kit.lens import Lens as LensModel

    not_over(out, force=force)
    new = LensModel.model_validate(lens.model_dump(mode="json") | changed).as_measured(*changed)
    lenses = tuple(new if own is lens else own for own in plan.kit.lenses)
    write_plan(plan.model_copy(update={"kit": plan.kit.model_copy(update={"lenses": lenses})}), out)


def worked_method(path: Path, plan: Plan, key: str | None) -> Candidate:
    """A method of a plan worked out; the advised one where none is named.

    Raises
    ------
    FileError, PlanError
        For a method that is not known or does not fit.
    """
    from verispect.plan.advise.confidence_search import sure_enough
    from verispect.plan.advise.weigh import advised_of
    from verispect.plan.methods.method import METHOD_KEYS
    from verispect.plan.methods.registry import worked
    from verispect.plan.scene.scene import build_scene

    try:
        key = key or plan.choice.method
        if key is None:
            advised = advised_of(plan)
            if advised is None:
                raise FileError("{path}: no method fits this kit", path=path)
            candidate = advised
        elif key not in METHOD_KEYS:
            raise FileError("method {key!r} is not known; one of {keys}", key=key, keys=", ".join(METHOD_KEYS))
        else:
            candidate = sure_enough(worked(key, build_scene(plan)))
    except PlanError as error:
        raise PlanError(f"{path}: {error.key}", error.found, error.right) from error
    except GeometryError as error:
        raise FileError("{path}: {error}", path=path, error=error) from error
    if not candidate.fits:
        raise FileError(
            "{path}: {method} does not fit: {why}", path=path, method=candidate.method.name,
            why=candidate.why_not[0] if candidate.why_not else "",
        )  # fmt: skip
    return candidate
