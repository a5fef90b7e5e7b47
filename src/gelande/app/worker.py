"""Threads that run requests, and outlive whatever a request ends with: the newest one only, or all in turn."""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Callable

from gelande.core.errors import Stopped
from gelande.core.evaluate.executor import Stop

from .crash_handler import crash_handler


class Worker(threading.Thread):
    """Runs the newest request only; an older one that still runs is stopped."""

    def __init__(self, name: str, told: Callable | None = None) -> None:
        """told: called on this thread with the exception when a request ends with one that it does not know itself."""
        super().__init__(name=name, daemon=True)
        self._told = told
        self._condition = threading.Condition()
        self._waiting: deque = deque()
        self._current, self._closed, self._running = None, False, False

    @property
    def busy(self) -> bool:
        """True when something runs or is to run."""
        return self._running or bool(self._waiting)

    def ask(self, run: Callable, stop: Stop) -> None:
        """Runs run() next, after stopping what runs now."""
        with self._condition:
            self._drop_all()
            self._waiting.append((run, stop))
            self._condition.notify()

    def stop_now(self) -> None:
        with self._condition:
            self._drop_all()

    def _drop_all(self) -> None:
        """Stops what runs and forgets what waits."""
        self._waiting.clear()
        if self._current is not None:
            self._current.set()

    def close(self) -> None:
        with self._condition:
            self._closed = True
            self._drop_all()
            self._condition.notify()

    def run(self) -> None:
        while True:
            with self._condition:
                while not self._waiting and not self._closed:
                    self._condition.wait()
                if self._closed:
                    return
                run, self._current = self._waiting.popleft()
                self._running = True
            try:
                run()
            except Stopped:
                pass
            except BaseException as error:  # whatever it is, the next request needs this thread
                crash_handler.take(error, f"the worker {self.name}")
                if self._told is not None:
                    self._told(error)
            finally:
                with self._condition:
                    self._current, self._running = None, False


class InTurn(Worker):
    """Runs all requests, one after the other: what was asked for must not be lost because more is."""

    def ask(self, run: Callable, stop: Stop) -> None:
        with self._condition:
            self._waiting.append((run, stop))
            self._condition.notify()
