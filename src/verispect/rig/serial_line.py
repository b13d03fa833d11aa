"""A line to a controller: text out, text in, no waiting longer than told, and a stop that passes all else."""

from __future__ import annotations

import os
import re
import select
import termios
import time
import tty
from pathlib import Path
from types import TracebackType

from verispect.rig.device_program import RigError

BAUD = 115_200
_STOP, _GO_ON, _ASK = b"!", b"~", b"?"


def serial_ports() -> list[str]:
    """The ports at which a controller may be, by the names that Linux gives them."""
    return sorted(str(path) for kind in ("ttyUSB*", "ttyACM*") for path in Path("/dev").glob(kind))


class SerialLine:
    """One controller, from opening to closing; use it in a `with` block."""

    def __init__(self, port: Path) -> None:
        """Open a port, such as /dev/ttyUSB0.

        Raises
        ------
        RigError
            Where it cannot be opened, or is no serial line.
        """
        self.port, self._text = port, b""
        try:
            self._line = os.open(port, os.O_RDWR | os.O_NOCTTY | os.O_NONBLOCK)
        except OSError as error:
            raise RigError(
                "{port}: cannot be opened: {why}; is the controller plugged in, and may you use it (group dialout)?",
                port=port, why=error.strerror or error,
            ) from error  # fmt: skip
        try:
            tty.setraw(self._line)
            settings = termios.tcgetattr(self._line)
            settings[4] = settings[5] = getattr(termios, f"B{BAUD}")
            termios.tcsetattr(self._line, termios.TCSANOW, settings)
        except termios.error as error:
            os.close(self._line)
            raise RigError("{port}: this is no serial line; choose the controller's port", port=port) from error

    def __enter__(self) -> SerialLine:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, what: BaseException | None, where: TracebackType | None
    ) -> None:
        os.close(self._line)

    def send(self, line: str) -> None:
        """Send one line."""
        self._write(line.encode("ascii", "replace") + b"\n")

    def stop(self) -> None:
        """Stop the axes now, whatever is under way."""
        self._write(_STOP)

    def go_on(self) -> None:
        """Let the axes be moved again."""
        self._write(_GO_ON)

    def places(self, seconds: float = 0.3) -> dict[str, float]:
        """Where the controller says its axes stand; empty where it does not say, or was just switched on."""
        self._write(_ASK)
        until = time.monotonic() + seconds
        while (left := until - time.monotonic()) > 0.0:
            told = self.answer(left)
            if told is not None and told.startswith("<"):
                return {axis: float(value) for axis, value in re.findall(r"([XAB])(-?\d+(?:\.\d+)?)", told)}
        return {}

    def _write(self, data: bytes) -> None:
        try:
            while data:
                _, ready, _ = select.select([], [self._line], [], 1.0)
                if not ready:
                    raise RigError("{port}: the controller takes nothing any more", port=self.port)
                data = data[os.write(self._line, data) :]
        except OSError as error:
            raise self._gone() from error

    def answer(self, seconds: float) -> str | None:
        """The next line that came, without its end; None where none came in time.

        Raises
        ------
        RigError
            Where the line is gone.
        """
        until = time.monotonic() + seconds
        while b"\n" not in self._text:
            left = until - time.monotonic()
            ready, _, _ = select.select([self._line], [], [], max(left, 0.0))
            if not ready:
                return None
            try:
                came = os.read(self._line, 4096)
            except BlockingIOError:
                continue
            except OSError as error:
                raise self._gone() from error
            if not came:
                raise self._gone()
            self._text += came
        line, self._text = self._text.split(b"\n", 1)
        return line.decode("ascii", "replace").strip()

    def _gone(self) -> RigError:
        return RigError("{port}: the line to the controller is gone; plug it in again and go on", port=self.port)
