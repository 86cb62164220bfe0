"""Functions that the pool's tests run in workers."""

from __future__ import annotations

import os
import time

from keybundle.core.base.errors import InputProblem


def double(number: int) -> int:
    return 2 * number


def rest(seconds: float) -> None:
    time.sleep(seconds)


def complain() -> None:
    raise InputProblem("this page is torn")


def divide() -> float:
    return 1 / 0


def swallow() -> int:
    return len(bytearray(9 * 1024**3))


def die() -> None:
    os._exit(3)


def hang() -> None:
    time.sleep(600)


DAWDLE_SECONDS = 2.0
_noted: list[int] = []


def dawdle() -> None:
    time.sleep(DAWDLE_SECONDS)


def note() -> None:
    _noted.append(1)


def noted() -> int:
    return len(_noted)


def own() -> int:
    return os.getpid()


def parent() -> int:
    return os.getppid()


def kill_parent() -> None:
    os.kill(os.getppid(), 9)
    time.sleep(30)
