"""What the command says: its exit statuses, refusals, text that is safe to print, JSON."""

from __future__ import annotations

import argparse
import json
from typing import Any, NoReturn

NO_FAIL, A_FAIL, WRONG_USE, UNREADABLE = 0, 1, 2, 3


class Refusal(Exception):
    """An answer other than a result: its exit status and its sentence."""

    def __init__(self, status: int, says: str) -> None:
        super().__init__(says)
        self.status = status


class Parser(argparse.ArgumentParser):
    """A parser whose mistakes are refusals."""

    def error(self, message: str) -> NoReturn:
        raise Refusal(WRONG_USE, f"{message} (see {self.prog} --help)")


def printable(text: str) -> str:
    """Return a text without the signs that steer a terminal: what a stranger's file says is only ever shown."""
    return "".join(sign if sign.isprintable() or sign == "\n" else "\N{REPLACEMENT CHARACTER}" for sign in text)


def say(text: str) -> None:
    """Print a line."""
    print(printable(text))


def say_json(document: dict[str, Any]) -> None:
    """Print a document."""
    text = json.dumps(document, indent=2, ensure_ascii=False)
    print("".join(sign if sign.isprintable() or sign == "\n" else json.dumps(sign)[1:-1] for sign in text))
