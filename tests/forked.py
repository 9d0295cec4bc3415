"""Commands of Iskelo, begun by fork from a process that has loaded what they stand on: milliseconds, not seconds.

What a command does and what it is, a process of its own that can be killed, is the same as when it is begun from the
shell, which the tests of starting, and the benchmarks, do.
"""

import atexit
import contextlib
import json
import os
import select
import signal
import socket
import struct
import subprocess
import sys
import tempfile
import time
from collections.abc import Sequence
from multiprocessing import forkserver, util
from pathlib import Path
from typing import IO
from unittest import mock

from iskelo.command.places import ROOT

PARENT = "{parent}"
"""Stands in a command's words for the number of the process that it belongs to."""
READY_SECONDS = 120.0
_NUMBER = struct.Struct("!i")
STANDARD = (1, 2)
"""The descriptors of what a process says, and of what it complains of."""


class Forked:
    """A command under way: as much of ``subprocess.Popen`` as tests ask for."""

    def __init__(self, channel: socket.socket, words: tuple[str, ...]) -> None:
        self.channel, self.args = channel, words
        self.returncode: int | None = None
        self.pid = _NUMBER.unpack(channel.recv(_NUMBER.size, socket.MSG_WAITALL))[0]

    def poll(self) -> int | None:
        """How it ended, as a process's exit code; None as long as it runs."""
        return self._ended(0)

    def wait(self, timeout: float | None = None) -> int:
        """Wait for its end; raises ``subprocess.TimeoutExpired``."""
        ended = self._ended(timeout)
        if ended is None:
            raise subprocess.TimeoutExpired(self.args, timeout or 0.0)
        return ended

    def _ended(self, seconds: float | None) -> int | None:
        if self.returncode is None and select.select([self.channel], [], [], seconds)[0]:
            self.returncode = _NUMBER.unpack(self.channel.recv(_NUMBER.size, socket.MSG_WAITALL))[0]
            self.channel.close()
        return self.returncode

    def send_signal(self, number: int) -> None:
        if self.poll() is None:
            os.kill(self.pid, number)

    def terminate(self) -> None:
        self.send_signal(signal.SIGTERM)

    def kill(self) -> None:
        self.send_signal(signal.SIGKILL)


class _Loaded:
    """The process that has everything loaded, one for each process that runs tests; it ends with that one."""

    def __init__(self) -> None:
        self._folder = tempfile.TemporaryDirectory(prefix="iskelo-forked-", dir="/tmp")
        self._door = str(Path(self._folder.name) / "door")
        environment = {**os.environ, "PYTHONPATH": f"{ROOT / 'src'}:{ROOT / 'tests'}"}
        self._process = subprocess.Popen([sys.executable, "-m", "forked", self._door], env=environment)
        atexit.register(self._end)

    def _end(self) -> None:
        self._process.kill()
        self._process.wait()
        self._folder.cleanup()

    def begin(
        self, words: tuple[str, ...], environment: dict[str, str], out: IO[str] | None, error: IO[str] | None
    ) -> Forked:
        channel = socket.socket(socket.AF_UNIX)
        until = time.monotonic() + READY_SECONDS
        while True:
            try:
                channel.connect(self._door)
                break
            except OSError:
                assert time.monotonic() < until, "what commands are forked from does not answer"
                assert self._process.poll() is None, "what commands are forked from has ended"
                time.sleep(0.02)
        asked = json.dumps({"words": words, "environment": environment}).encode()
        places = [out.fileno() if out else STANDARD[0], error.fileno() if error else STANDARD[1]]
        socket.send_fds(channel, [_NUMBER.pack(len(asked))], places)
        channel.sendall(asked)
        return Forked(channel, words)


_loaded: list[_Loaded] = []


def begin(*words: str, environment: dict[str, str], out: IO[str] | None = None, error: IO[str] | None = None) -> Forked:
    """Begin ``./iskelo WORDS`` in an environment."""
    if not _loaded:
        _loaded.append(_Loaded())
    return _loaded[0].begin(words, environment, out, error)


def run(*words: str, environment: dict[str, str]) -> "subprocess.CompletedProcess[str]":
    """Run ``./iskelo WORDS`` to its end; what it said, and how it ended."""
    with tempfile.TemporaryFile("w+") as out, tempfile.TemporaryFile("w+") as error:
        code = begin(*words, environment=environment, out=out, error=error).wait(120)
        for each in (out, error):
            each.seek(0)
        return subprocess.CompletedProcess(list(words), code, out.read(), error.read())


def _wait_for_orders(door: str) -> None:
    """Fork a keeper for each order; the keeper forks the command, and tells how it ends."""
    parent = os.getppid()
    commands = ("iskelo.command.start", "iskelo.command.backup", "iskelo.command.doctor")
    for each in (*commands, "iskelo.work.worker", "iskelo.api.aside", "iskelo.api.long_work"):
        __import__(each)
    from iskelo.command.__main__ import main  # noqa: PLC0415  (loaded here alone, not where tests are)

    signal.signal(signal.SIGCHLD, signal.SIG_IGN)
    listener = socket.socket(socket.AF_UNIX)
    listener.bind(door)
    listener.listen()
    listener.settimeout(1.0)
    while os.getppid() == parent:
        try:
            channel, _ = listener.accept()
        except TimeoutError:
            continue
        if os.fork() == 0:
            listener.close()
            raise SystemExit(main(_kept(channel)))
        channel.close()


def _kept(channel: socket.socket) -> list[str]:
    """Returns, with the words of its command, in the process that is to do it; its keeper ends here."""
    signal.signal(signal.SIGCHLD, signal.SIG_DFL)
    size, places, _, _ = socket.recv_fds(channel, _NUMBER.size, 2)
    asked = json.loads(channel.recv(_NUMBER.unpack(size)[0], socket.MSG_WAITALL))
    keeper = os.getpid()
    command = os.fork()
    if command == 0:
        channel.close()
        for place, standard in zip(places, STANDARD, strict=True):
            os.dup2(place, standard)
            os.close(place)
        os.environ.clear()
        os.environ.update(asked["environment"])
        if "serve" in asked["words"]:
            _have_long_work_forked()
        return [str(keeper) if word == PARENT else word for word in asked["words"]]
    channel.sendall(_NUMBER.pack(command))
    ended = os.pidfd_open(command)
    while True:
        ready, _, _ = select.select([channel, ended], [], [])
        if ended in ready:
            with contextlib.suppress(OSError):
                channel.sendall(_NUMBER.pack(os.waitstatus_to_exitcode(os.waitpid(command, 0)[1])))
            os._exit(0)
        if not channel.recv(1):
            # Who asked for it is gone; what it began ends as its keeper does.
            os._exit(0)


def _have_long_work_forked() -> None:
    """Begin the process that a server's long work is forked from by fork too, as long as there is one thread.

    It is a child of the server, as the one is that Python would begin by loading everything once more.
    """
    begun_anew = util.spawnv_passfds

    def by_fork(path: bytes, words: Sequence[str], passed: Sequence[int]) -> int:
        if "forkserver" not in words[-1]:
            return begun_anew(path, words, passed)
        process = os.fork()
        if process == 0:
            exec(words[-1], {})
            os._exit(0)
        return process

    with mock.patch.object(util, "spawnv_passfds", by_fork):
        forkserver.ensure_running()


if __name__ == "__main__":
    _wait_for_orders(sys.argv[1])
