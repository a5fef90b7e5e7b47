"""The program as a screen reader meets it: a window on a display and a bus of its own, asked and driven through AT-SPI
(the accessibility bus of Linux desktops) alone."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from unittest import mock

from jeepney import DBusAddress, Properties, new_method_call
from jeepney.io.blocking import open_dbus_connection

from gelande.prepare import stamp_it

ATSPI = "org.a11y.atspi."
SOURCE = Path(__file__).parents[1] / "src"
#: Bits of a state set.
CHECKED, ENABLED, SHOWING = 4, 8, 25
#: Seconds between two readings of all that shows.
PAUSE = 0.25
#: Seconds after which what is waited for does not come: a guard against hanging, no measure of speed.
PATIENCE = 240.0


@dataclass(frozen=True)
class Thing:
    """One accessible object. place: bus name and path."""

    reader: ScreenReader
    place: tuple[str, str]
    role: str
    name: str

    def _call(self, interface: str, method: str, signature=None, args=()):
        address = DBusAddress(self.place[1], self.place[0], ATSPI + interface)
        return self.reader.answer(new_method_call(address, method, signature, args))

    def _get(self, interface: str, name: str):
        address = DBusAddress(self.place[1], self.place[0], ATSPI + interface)
        return self.reader.answer(Properties(address).get(name))[0][1]

    @property
    def told(self) -> str:
        """What is told of it besides its name."""
        return self._get("Accessible", "Description")

    @property
    def value(self) -> float:
        return self._get("Value", "CurrentValue")

    @property
    def span(self) -> tuple[float, float]:
        return self._get("Value", "MinimumValue"), self._get("Value", "MaximumValue")

    @property
    def text(self) -> str:
        return self._call("Text", "GetText", "ii", (0, -1))[0]

    @property
    def interfaces(self) -> list[str]:
        return [name.removeprefix(ATSPI) for name in self._call("Accessible", "GetInterfaces")[0]]

    def has(self, state: int) -> bool:
        low, _ = self._call("Accessible", "GetState")[0]
        return bool(low >> state & 1)

    def set_value(self, value: float) -> None:
        address = DBusAddress(self.place[1], self.place[0], ATSPI + "Value")
        self.reader.answer(Properties(address).set("CurrentValue", "d", value))

    def set_text(self, text: str) -> None:
        self._call("EditableText", "SetTextContents", "s", (text,))

    def press(self) -> None:
        """What a click would do."""
        self._call("Action", "DoAction", "i", (0,))

    def select(self, index: int) -> None:
        """Selects one of its children."""
        self._call("Selection", "SelectChild", "i", (index,))

    def children(self) -> list[Thing]:
        return [self.reader.thing(tuple(place)) for place in self._call("Accessible", "GetChildren")[0]]

    def under(self) -> Iterator[Thing]:
        """All that shows under it, depth first."""
        for child in self.children():
            if child.has(SHOWING):
                yield child
                yield from child.under()


class ScreenReader:
    """Starts the program on a recipe and reads it."""

    def __init__(self, recipe: Path, folder: Path, settings: dict[str, str], *words: str) -> None:
        self.processes: list[subprocess.Popen] = []
        config = folder / "config"
        (config / "Gelande").mkdir(parents=True)
        lines = "".join(f"{name}={value}\n" for name, value in settings.items())
        (config / "Gelande" / "Gelande.conf").write_text(f"[General]\n{lines}")
        env = {
            **{k: v for k, v in os.environ.items() if not k.startswith(("DBUS", "AT_SPI", "WAYLAND"))},
            "XDG_CONFIG_HOME": str(config),
            "XDG_CACHE_HOME": str(folder),
            "XDG_RUNTIME_DIR": str(folder),
            "GELANDE_STATE": str(folder / "state"),
            "PYTHONPATH": str(SOURCE),
            "QT_QPA_PLATFORM": "xcb",
            "QT_LINUX_ACCESSIBILITY_ALWAYS_ON": "1",
        }
        with mock.patch.dict(os.environ, {"GELANDE_STATE": env["GELANDE_STATE"]}):
            stamp_it()  # nothing is prepared behind the window
        daemon = shutil.which("dbus-daemon") or "dbus-daemon"
        env["DISPLAY"] = ":" + self._told(["Xvfb", "-displayfd", "1", "-screen", "0", "1400x900x24"], env)
        env["DBUS_SESSION_BUS_ADDRESS"] = self._told([daemon, "--session", "--nofork", "--print-address"], env)
        command = [sys.executable, "-W", "ignore", "-m", "gelande", *words, str(recipe)]
        self.log = (folder / "log.txt").open("w")
        self.program = subprocess.Popen(command, env=env, stdout=self.log, stderr=self.log)
        self.processes.append(self.program)
        session = open_dbus_connection(bus=env["DBUS_SESSION_BUS_ADDRESS"])
        launcher = DBusAddress("/org/a11y/bus", "org.a11y.Bus", "org.a11y.Bus")
        (address,) = session.send_and_get_reply(new_method_call(launcher, "GetAddress")).body
        session.close()
        self.bus = open_dbus_connection(bus=address)
        self.root = ("org.a11y.atspi.Registry", "/org/a11y/atspi/accessible/root")

    def _told(self, command: list[str], env: dict[str, str]) -> str:
        """Starts a process and gives the first line that it prints."""
        process = subprocess.Popen(command, env=env, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
        self.processes.append(process)
        return process.stdout.readline().strip()

    def answer(self, message):
        """The body of the reply to a message. Raises LookupError when what was asked is gone."""
        reply = self.bus.send_and_get_reply(message, timeout=PATIENCE)
        if reply.header.message_type.name == "error":
            raise LookupError(str(reply.body))
        return reply.body

    def thing(self, place: tuple[str, str]) -> Thing:
        found = Thing(self, place, "", "")
        return Thing(self, place, found._call("Accessible", "GetRoleName")[0], found._get("Accessible", "Name"))

    def all(self) -> list[Thing]:
        """All that shows in all windows of the program."""
        return [thing for top in self.thing(self.root).children() for thing in top.under()]

    def find(self, name: str, role: str = "", ready=lambda thing: True) -> Thing:
        """The first thing whose name begins so; waits until there is one that is ready."""
        end = time.monotonic() + PATIENCE
        while time.monotonic() < end and self.program.poll() is None:
            try:
                for thing in self.all():
                    if thing.name.startswith(name) and role in thing.role and ready(thing):
                        return thing
            except LookupError:
                pass  # what was being read went away
            with suppress(subprocess.TimeoutExpired):  # reading takes from the program the time that it needs
                self.program.wait(PAUSE)
        seen = sorted({f"{t.role}: {t.name}" for t in self.all()}) if self.program.poll() is None else "it has ended"
        raise AssertionError(f"no {role or 'thing'} {name!r} was found: {seen}")

    def close(self) -> None:
        self.bus.close()
        for process in reversed(self.processes):
            process.kill()
            process.wait()
            if process.stdout is not None:
                process.stdout.close()
        self.log.close()
