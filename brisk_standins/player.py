"""A disc player: reads a disc from a folder (the plan as ``disc.json``, its files beside it) and is used by the keys of
a remote control over HTTP. It plays the real files: of each it decodes the first picture of the chapter it stands in.

``POST /insert`` with a folder reads a disc, ``POST /step`` with a place and a key goes on, both answer where it stands.
"""

from __future__ import annotations

import json
import time
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Any

import av

from brisk_core.errors import PlanRefused
from brisk_core.plan.disc.document import read_disc
from brisk_core.plan.disc.items import Disc, Screen
from brisk_core.plan.disc.walk import STOPPED, State, clip_of, read_state, step
from brisk_standins.page import PageHandler, Switches, serve_page

FAULTS = {
    "stops": "stops at the end of whatever plays",
    "deaf": "its title key does nothing",
    "crossed": "takes the first button of a screen for all of them",
    "blind": "cannot read any file",
    "empty": "finds no disc",
}
_LONGEST_BODY = 1 << 16


@dataclass
class Player:
    """A player with a folder of discs; one of them is in."""

    folder: Path
    switches: Switches = field(default_factory=lambda: Switches(FAULTS))
    disc: Disc | None = None
    files: dict[str, Path] = field(default_factory=dict)  #: of clips, by their ids
    _read: dict[tuple[Path, Fraction], str] = field(default_factory=dict)

    def state(self) -> dict[str, Any]:
        """Return what its page shows."""
        discs = sorted(path.parent.name for path in self.folder.glob("*/disc.json"))
        return {
            "discs": discs,
            "in": self.disc.name if self.disc else None,
            "items": len(self.disc.items) if self.disc else 0,
        }

    def insert(self, name: str) -> dict[str, Any]:
        """Read a disc and stand where it starts; raises ``PlanRefused`` for what is no disc."""
        path = self.folder / name / "disc.json"
        if "/" in name or name.startswith(".") or not path.is_file() or "empty" in self.switches:
            raise PlanRefused("there is no disc")
        try:
            document = json.loads(path.read_text("utf-8"))
            rows = [row for row in document["items"] if row.get("file")]
        except (ValueError, KeyError, TypeError, AttributeError) as error:
            raise PlanRefused("the disc cannot be read") from error
        self.files, self._read = {}, {}
        for row in rows:
            file = path.parent / Path(str(row.pop("file"))).name
            self.files[str(row.get("id"))] = file
            row |= _probed(file)
        self.disc = read_disc(document)
        return self.told(step(self.disc, STOPPED, "insert"))

    def step(self, at: str, key: str) -> dict[str, Any]:
        """Go on from a place by a key; raises ``PlanRefused`` for a place or a key that is none."""
        if self.disc is None:
            raise PlanRefused("there is no disc in")
        state = read_state(self.disc, at)
        screen = self.disc.by_id.get(state.item or "")
        if key == "title" and "deaf" in self.switches:
            return self.told(state)
        if key == "end" and "stops" in self.switches and state.item is not None:
            return self.told(STOPPED)
        if key == "enter" and "crossed" in self.switches and isinstance(screen, Screen) and screen.buttons:
            first = State(item=state.item, button=screen.buttons[0].id, came=state.came, turn=state.turn)
            return self.told(step(self.disc, first, key))
        return self.told(step(self.disc, state, key))

    def told(self, state: State) -> dict[str, Any]:
        """Return where it stands, and whether what plays there can be read."""
        assert self.disc  # noqa: S101 - it is in
        clip = clip_of(self.disc, state)
        file = self.files.get(clip.id) if clip else None
        wrong = ""
        if clip and file:
            at = Fraction(clip.chapters[state.chapter - 1].frame if clip.chapters else 0) / clip.rate
            wrong = "it cannot be read" if "blind" in self.switches else self._look(file, at)
        return {"at": str(state), "file": file.name if file else None, "wrong": wrong}

    def _look(self, file: Path, at: Fraction) -> str:
        """Decode the picture at a time; return what is wrong with it."""
        if (file, at) not in self._read:
            try:
                with av.open(str(file)) as container:
                    container.seek(int(at * av.time_base))
                    next(container.decode(video=0))
                self._read[file, at] = ""
            except (av.error.FFmpegError, StopIteration, IndexError, OSError) as error:
                self._read[file, at] = f"it cannot be played: {error}"
        return self._read[file, at]


def _probed(file: Path) -> dict[str, Any]:
    """What a plan has to say of a clip that names no file."""
    try:
        with av.open(str(file)) as container:
            stream = container.streams.video[0]
            frames = stream.frames or sum(1 for packet in container.demux(stream) if packet.size)
            rate = Fraction(stream.average_rate or 25)
            size = [stream.width, stream.height]
            return {"length": f"{frames} frames", "rate": str(rate), "size": size, "codec": "mpeg2"}
    except (av.error.FFmpegError, IndexError, OSError):
        return {"length": "1 frame", "rate": 25, "size": [720, 576], "codec": "mpeg2"}


class PlayerHandler(PageHandler):
    """Takes the keys."""

    player: Player

    def do_POST(self) -> None:
        if self.path == "/":
            super().do_POST()
            return
        try:
            asked = json.loads(self.rfile.read(min(self.length, _LONGEST_BODY)))
            if self.path == "/insert":
                self.answer_json(self.player.insert(str(asked["disc"])))
            elif self.path == "/step":
                self.answer_json(self.player.step(str(asked["at"]), str(asked["key"])))
            else:
                self.answer_json({"error": "there is nothing here"}, 404)
        except (ValueError, KeyError, TypeError):
            self.answer_json({"error": "expected an object with disc, or with at and key"}, 400)
        except PlanRefused as error:
            self.answer_json({"error": "; ".join(map(str, error.mistakes)) or str(error)}, 422)


def serve(player: Player, port: int = 0) -> Any:
    """Serve a player in a thread; a port of 0 takes a free one."""
    player.folder.mkdir(parents=True, exist_ok=True)
    return serve_page(
        port, "Player of Wherry House", player.switches, player.state, handler=PlayerHandler, player=player
    )


def run(folder: Path, port: int) -> None:
    """Run a player for good."""
    serve(Player(folder=folder), port)
    while True:
        time.sleep(3600)
