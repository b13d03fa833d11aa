"""Numbers and lengths as people write them: one grammar and one table of units for fields, tables and scans.

What may mean two things is asked, never guessed (docs/formats.md, "Numbers and lengths").
"""

from __future__ import annotations

import math
import re

from verispect.errors import VerispectError

# Exact: the yard is 0.9144 m (international yard and pound agreement, 1959), the mile 1760 yards.
LENGTHS_M = {
    "km": 1000.0, "mi": 1609.344, "m": 1.0, "yd": 0.9144, "ft": 0.3048, "in": 0.0254, "cm": 0.01, "mm": 0.001,
    "um": 1e-6,
}  # fmt: skip
SPEEDS_MM_S = {"mm/s": 1.0, "cm/s": 10.0, "m/s": 1000.0, "km/h": 1e6 / 3600.0}
_LONG = {
    "'": "ft", "′": "ft", "’": "ft", "feet": "ft", "foot": "ft", "''": "in", '"': "in", "″": "in", "”": "in",
    "inch": "in", "inches": "in", "metre": "m", "metres": "m", "meter": "m", "meters": "m", "centimetre": "cm",
    "centimetres": "cm", "centimeter": "cm", "centimeters": "cm", "millimetre": "mm", "millimetres": "mm",
    "millimeter": "mm", "millimeters": "mm", "kilometre": "km", "kilometres": "km", "kilometer": "km",
    "kilometers": "km", "yard": "yd", "yards": "yd", "mile": "mi", "miles": "mi", "µm": "um", "μm": "um",
    "micron": "um", "microns": "um", "mm_s": "mm/s", "cm_s": "cm/s", "m_s": "m/s", "km_h": "km/h", "kmh": "km/h",
}  # fmt: skip
_FRACTIONS = {"½": 0.5, "⅓": 1 / 3, "⅔": 2 / 3, "¼": 0.25, "¾": 0.75, "⅛": 0.125, "⅜": 0.375, "⅝": 0.625, "⅞": 0.875}
_INFINITE = ("∞", "inf", "infinity", "infinite")
_MOST_M = 1.0e7
# Nobody types a number this long; a table that holds one is damaged.
_MOST_LETTERS = 80
_SPACES = " \u00a0\u202f\u2009"
_GROUPED = rf"\d{{1,3}}(?:[{_SPACES}]\d{{3}})+(?![\d/])(?:[.,]\d+)?"
_PLAIN = r"(?:\d+(?:[.,]\d+)*\.?|[.,]\d+)"
_DECIMAL = rf"(?:{_GROUPED}|{_PLAIN})(?:[eE][+-]?\d+(?![\d.,]))?"
_NUMBER = re.compile(
    rf"(?P<top>\d+)\s*/\s*(?P<bottom>\d+)"
    rf"|(?P<whole>{_DECIMAL})(?:\s*(?P<sign>[{''.join(_FRACTIONS)}])|\s+(?P<over>\d+)/(?P<under>\d+))?"
    rf"|(?P<alone>[{''.join(_FRACTIONS)}])"
)
_UNIT = re.compile(r"\s*(''|[a-zA-Zµμ]+(?:[/_][a-zA-Z]+)?|['′’\"″”])")
_THOUSANDS_MARK = re.compile(r"(?<=\d)['’](?=\d{3}(?!\d))")


class QuantityError(VerispectError):
    """Something typed that cannot be read, or that may mean two things."""


def unit_of(word: str) -> str | None:
    """The short name of a unit of length or speed; None for one that is not known.

    Examples
    --------
    >>> unit_of("inches"), unit_of("″"), unit_of("furlong")
    ('in', 'in', None)
    """
    word = word.strip()
    short = _LONG.get(word, _LONG.get(word.lower(), word.lower()))
    return short if short in LENGTHS_M or short in SPEEDS_MM_S else None


def parse_number(text: str, *, decimal_comma: bool | None = None) -> float:
    """A number with decimal point or comma, thousands parted in any usual way, or fractions.

    Parameters
    ----------
    text : str
    decimal_comma : bool or None
        Whether a comma is known to be decimal (True) or to part thousands (False); None: not known.

    Raises
    ------
    QuantityError
        For what is no number, or may be two: `1,234` where it is not known what a comma means, `2.500` where
        it is known to be decimal.

    Examples
    --------
    >>> parse_number("1.234,5"), parse_number("12 345"), parse_number("3½"), parse_number("-2 1/4")
    (1234.5, 12345.0, 3.5, -2.25)
    """
    rest, sign = _signed(_clean(text))
    match = _NUMBER.match(rest)
    if match is None or match.end() != len(rest):
        raise QuantityError("{typed!r} is no number", typed=_short(text))
    return sign * _value(match, text, decimal_comma)


def parse_length_m(
    text: str, *, default_unit: str = "m", decimal_comma: bool | None = None, endless: bool = False
) -> float:
    """Metres from a typed length.

    Parameters
    ----------
    text : str
        Numbers with units, the larger unit first, added up: `12 ft 6 in`, `12'6`, `380cm`, `3,8 m`, `3½ m`.
        A sign before the first number holds for all.
    default_unit : str
        Unit of a bare number.
    endless : bool
        Whether `∞` may be written.

    Raises
    ------
    QuantityError
        With what was found and what would be right.

    Examples
    --------
    >>> round(parse_length_m("12 ft 6 in"), 4), round(parse_length_m("12'6"), 4), parse_length_m("380cm")
    (3.81, 3.81, 3.8)
    >>> parse_length_m("12 345 m"), parse_length_m("∞", endless=True)
    (12345.0, inf)
    """
    cleaned = _clean(text)
    if endless and cleaned.lower().lstrip("+") in _INFINITE:
        return math.inf
    rest, sign = _signed(cleaned)
    total, last = 0.0, ""
    while rest:
        match = _NUMBER.match(rest)
        if match is None:
            raise _unreadable(text)
        number = _value(match, text, decimal_comma)
        rest = rest[match.end() :]
        unit, rest = _unit_at(rest, text, default_unit=default_unit, last=last, number=number)
        if last and LENGTHS_M[unit] >= LENGTHS_M[last]:
            raise _unreadable(text)
        total += number * LENGTHS_M[unit]
        last = unit
        rest = rest.lstrip(" ,")
    if not last:
        raise _unreadable(text)
    if not math.isfinite(total) or total > _MOST_M:
        raise QuantityError("{typed!r} is out of range; lengths go up to 10 000 km", typed=_short(text))
    # 380 cm is 3.8 m, not 3.8000000000000003.
    return sign * round(total, 12)


_STOP = re.compile(r"[fF]\s*/?\s*(\d+(?:[.,]\d+)?)")
_ISO = re.compile(r"\bISO\s*(\d+(?:[.,]\d+)?)", re.IGNORECASE)
_TIME = re.compile(r"(?:(\d+)\s*/\s*(\d+(?:[.,]\d+)?)|(\d+(?:[.,]\d+)?))\s*(?:s\b|sec\b|\"|″)?")


def parse_ev100(text: str) -> float:
    """An exposure value at ISO 100: as a number, or as a stop, a time and an ISO in any order.

    EV = log2(N²/t) − log2(ISO/100); without an ISO it is 100.

    Examples
    --------
    >>> [round(parse_ev100(text), 2) for text in ("12.5", "f/8 1/125", "1/60 s f/5.6 ISO 400")]
    [12.5, 12.97, 8.88]

    Raises
    ------
    QuantityError
        For what is neither.
    """
    stop, iso = _STOP.search(text), _ISO.search(text)
    if stop is None:
        return parse_number(text.strip().removesuffix("EV").removesuffix("ev"))
    rest = text[: stop.start()] + " " + text[stop.end() :]
    rest = _ISO.sub(" ", rest)
    time = _TIME.search(rest)
    left = "" if time is None else (rest[: time.start()] + rest[time.end() :]).strip(" ,;")
    if time is None or left:
        raise QuantityError("{text!r}: write a reading as EV, or as f/8 1/125 ISO 100", text=text.strip())

    def value(part: str) -> float:
        return float(part.replace(",", "."))

    below = value(time[2]) if time[1] else 1.0
    seconds = value(time[1] or time[3]) / below if below > 0.0 else 0.0
    sensitivity = 100.0 if iso is None else value(iso[1])
    aperture = value(stop[1])
    if not (seconds > 0.0 and sensitivity > 0.0 and aperture > 0.0):
        raise QuantityError("{text!r}: write a reading as EV, or as f/8 1/125 ISO 100", text=text.strip())
    return math.log2(aperture**2 / seconds) - math.log2(sensitivity / 100.0)


def _unit_at(rest: str, text: str, *, default_unit: str, last: str, number: float) -> tuple[str, str]:
    """The unit that stands here, and what comes after it."""
    match = _UNIT.match(rest)
    if match is not None:
        unit = unit_of(match[1])
        if unit is None or unit not in LENGTHS_M:
            raise _unreadable(text)
        return unit, rest[match.end() :]
    if rest.strip(" ,"):
        raise _unreadable(text)
    if not last:
        return default_unit, rest
    if last == "ft" and number < 12.0:
        return "in", rest
    raise QuantityError(
        "{typed!r} may mean two things: what unit has the last number? Write it like 2.30 m or 2 m 30 cm",
        typed=_short(text),
    )


def _clean(text: str) -> str:
    if len(text) > _MOST_LETTERS:
        raise QuantityError("{typed!r} is too long to be a number", typed=_short(text))
    cleaned = text.strip().replace("−", "-").replace("–", "-")
    return _THOUSANDS_MARK.sub("", cleaned)


def _signed(text: str) -> tuple[str, float]:
    if text[:1] in ("+", "-"):
        return text[1:].lstrip(), -1.0 if text[0] == "-" else 1.0
    return text, 1.0


def _value(match: re.Match[str], text: str, decimal_comma: bool | None) -> float:
    if match["alone"]:
        return _FRACTIONS[match["alone"]]
    if match["top"]:
        return _divided(match["top"], match["bottom"], text)
    value = _decimal(match["whole"], text, decimal_comma)
    if match["sign"]:
        return value + _FRACTIONS[match["sign"]]
    return value + _divided(match["over"], match["under"], text) if match["over"] else value


def _divided(top: str, bottom: str, text: str) -> float:
    if int(bottom) == 0:
        raise QuantityError("{typed!r} divides by zero; write it like 1/2 in or 3 mm", typed=_short(text))
    return int(top) / int(bottom)


def _decimal(written: str, text: str, decimal_comma: bool | None) -> float:
    digits, _, exponent = written.lower().partition("e")
    spaced = any(space in digits for space in _SPACES)
    for space in _SPACES:
        digits = digits.replace(space, "")
    points, commas = digits.count("."), digits.count(",")
    if points and commas:
        decimal, parting = (".", ",") if digits.rfind(".") > digits.rfind(",") else (",", ".")
        whole, _, after = digits.rpartition(decimal)
        if decimal in whole or not _is_parted(whole, parting):
            raise QuantityError("{typed!r} is no number", typed=_short(text))
        digits = f"{whole.replace(parting, '')}.{after}"
    elif points > 1 or commas > 1:
        mark = "." if points else ","
        if not _is_parted(digits, mark):
            raise QuantityError("{typed!r} is no number", typed=_short(text))
        digits = digits.replace(mark, "")
    elif commas and not spaced and decimal_comma is not True and _is_parted(digits, ","):
        if decimal_comma is None:
            raise _two_numbers(digits, ",", text)
        digits = digits.replace(",", "")
    elif points and not spaced and decimal_comma is True and _is_parted(digits, "."):
        raise _two_numbers(digits, ".", text)
    return float(digits.replace(",", ".") + (f"e{exponent}" if exponent else ""))


def _is_parted(digits: str, mark: str) -> bool:
    """Whether a mark stands between groups of three digits, as thousands are parted."""
    return re.fullmatch(rf"[1-9]\d{{0,2}}(?:{re.escape(mark)}\d{{3}})+", digits) is not None


def _two_numbers(digits: str, mark: str, text: str) -> QuantityError:
    return QuantityError(
        "{typed!r} may be a thousand or a decimal {mark}; write {whole} or {part}",
        typed=_short(text),
        mark="comma" if mark == "," else "point",
        whole=digits.replace(mark, ""),
        part=digits.replace(mark, ".") + "0",
    )


def _short(text: str) -> str:
    text = text.strip()
    return text if len(text) <= 40 else text[:37] + "…"


def _unreadable(text: str) -> QuantityError:
    return QuantityError("{typed!r} is no length; write it like 3.8 m, 380 cm or 12 ft 6 in", typed=_short(text))
