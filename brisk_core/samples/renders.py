"""The renders of the programme: for each shipped spec a right one and others with one real fault each."""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction

from brisk_core.samples.encode import Settings
from brisk_core.samples.programme import START_TIMECODE

_WIDE = Settings(
    container="mp4",
    codec="libx264",
    pixels="yuv420p",
    size=(1920, 1080),
    rate=Fraction(25),
    bit_rate=12_000_000,
    profile="High",
    options={
        "preset": "ultrafast",
        "x264-params": "keyint=50:min-keyint=25:bframes=2:b-adapt=0:8x8dct=1:cabac=1:ref=2"
        ":vbv-maxrate=14000:vbv-bufsize=14000",
    },
    container_options={"movflags": "+faststart"},
)
_TALL = replace(_WIDE, size=(1080, 1920), rate=Fraction(30), bit_rate=8_000_000)
_MERROW = Settings(
    container="mxf",
    codec="mpeg2video",
    pixels="yuv422p",
    size=(1920, 1080),
    rate=Fraction(25),
    bit_rate=50_000_000,
    fields=True,
    options={
        "flags": "+ildct",
        "profile": "0",
        "level": "2",
        "g": "12",
        "bf": "2",
        "maxrate": "50000000",
        "minrate": "50000000",
        "bufsize": "6000000",
        "intra_vlc": "1",
        "non_linear_quant": "1",
        "qmin": "1",
        "qmax": "28",
        "sc_threshold": "1000000000",
        "gop_timecode": START_TIMECODE,
    },
    timecode=START_TIMECODE,
    sound_codec="pcm_s24le",
    mono_tracks=4,
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Recipe:
    """One render: its name, how it is written, and what is wrong with it."""

    name: str
    spec: str  #: id of the shipped spec it is for
    settings: Settings
    fault: str | None = None  #: in words, None for a right render
    fails: tuple[str, ...] = ()  #: ids of the spec's lines that must fail, and no others
    extra_frames: int = 0
    draws: str = "frames"  #: how its pictures are drawn, a key of ``drawings.DRAWINGS``
    cautions: tuple[str, ...] = ()  #: ids of the lines that must give caution
    rewraps: str | None = None  #: name of the render whose packets it takes, for faults of the wrapper only

    @property
    def verdict(self) -> str:
        """The verdict that a check by its spec must come to."""
        return "fail" if self.fails else "caution" if self.cautions else "pass"

    @property
    def drawing(self) -> tuple[tuple[int, int], Fraction, str]:
        """Renders with the same drawing share one pass of drawing."""
        return self.settings.size, self.settings.rate, self.draws


def _x264(settings: Settings, more: str) -> dict[str, str]:
    return settings.options | {"x264-params": f"{settings.options['x264-params']}:{more}"}


RENDERS: tuple[Recipe, ...] = (
    Recipe(
        name="OLP_LAMPLIGHTERS_PEBBLE_WIDE_V01.mp4",
        spec="pebbleview-wide",
        settings=replace(_WIDE, rate=Fraction(24000, 1001)),
        fault="24000/1001 frames a second in place of 25",
        fails=("frame-rate",),
        cautions=("timeline-rate",),
    ),
    Recipe(
        name="OLP_LAMPLIGHTERS_PEBBLE_WIDE_V02.mp4",
        spec="pebbleview-wide",
        settings=replace(_WIDE, bit_rate=4_000_000, options=_x264(_WIDE, "vbv-maxrate=5000:vbv-bufsize=5000")),
        fault="too low a bit rate",
        fails=("bitrate",),
    ),
    Recipe(
        name="OLP_LAMPLIGHTERS_PEBBLE_WIDE_V03.mp4",
        spec="pebbleview-wide",
        settings=replace(_WIDE, container_options={}),
        fault="index after the media",
        fails=("index-first",),
        rewraps="OLP_LAMPLIGHTERS_PEBBLE_WIDE_V08.mp4",
    ),
    Recipe(
        name="OLP_LAMPLIGHTERS_PEBBLE_WIDE_V04.mp4",
        spec="pebbleview-wide",
        settings=replace(_WIDE, options=_x264(_WIDE, "fake-interlaced=1")),
        fault="progressive pictures flagged as interlaced",
        fails=("scan", "mistakes"),
    ),
    Recipe(
        name="OLP_LAMPLIGHTERS_PEBBLE_WIDE_V05.mp4",
        spec="pebbleview-wide",
        settings=_WIDE,
        draws="blended-from-30",
        fault="25 frames a second made from 30 by blending neighbours",
        fails=("mistakes",),
        cautions=("blend",),
    ),
    Recipe(
        name="OLP_LAMPLIGHTERS_PEBBLE_WIDE_V06.mp4",
        spec="pebbleview-wide",
        settings=_WIDE,
        draws="fields",
        fault="fields woven into frames that are coded as progressive",
        fails=("scan", "mistakes", "comb"),
    ),
    Recipe(
        name="OLP_LAMPLIGHTERS_PEBBLE_WIDE_V07.mp4",
        spec="pebbleview-wide",
        settings=_WIDE,
        draws="squeezed",
        fault="full range mapped to narrow once too often",
        fails=("mistakes",),
    ),
    Recipe(name="OLP_LAMPLIGHTERS_PEBBLE_WIDE_V08.mp4", spec="pebbleview-wide", settings=_WIDE),
    Recipe(
        name="OLP_LAMPLIGHTERS_PEBBLE_WIDE_V09.mp4",
        spec="pebbleview-wide",
        settings=_WIDE,
        draws="edited-anew",
        extra_frames=-15,
        fault="another version of the edit: one shot missing, two exchanged; captions of the whole one beside it",
        fails=("length", "integrity-edit-cuts", "integrity-captions-out-of-range"),
        cautions=(
            "integrity-edit-shots",
            "integrity-captions-encoding",
            "integrity-captions-overlap",
            "integrity-captions-reading-speed",
            "integrity-captions-line-length",
        ),
    ),
    Recipe(
        name="OLP_LAMPLIGHTERS_PEBBLE_TALL_V01.mp4",
        spec="pebbleview-tall",
        settings=replace(_TALL, sound_rate=44100),
        fault="sound at 44.1 kHz",
        fails=("sample-rate",),
    ),
    Recipe(
        name="OLP_LAMPLIGHTERS_PEBBLE_TALL_V02.mp4",
        spec="pebbleview-tall",
        settings=replace(_TALL, rate=Fraction(30000, 1001)),
        fault="30000/1001 frames a second in place of 30",
        fails=("frame-rate",),
        cautions=("timeline-rate",),
    ),
    Recipe(
        name="OLP_LAMPLIGHTERS_PEBBLE_TALL_V03.mp4",
        spec="pebbleview-tall",
        settings=_TALL,
        draws="boxed",
        fault="the wide picture set into the tall frame, with bars above and below",
        cautions=("bars",),
    ),
    Recipe(name="OLP_LAMPLIGHTERS_PEBBLE_TALL_V04.mp4", spec="pebbleview-tall", settings=_TALL),
    Recipe(
        name="OLP_LAMPLIGHTERS_MERROW_HD50I_V01.mxf",
        spec="channel-merrow-master",
        settings=replace(_MERROW, pixels="yuv420p", options=_MERROW.options | {"profile": "4", "level": "4"}),
        draws="fields",
        fault="4:2:0 in place of 4:2:2",
        fails=("profile", "chroma"),
    ),
    Recipe(
        name="OLP_LAMPLIGHTERS_MERROW_HD50I_V02.mxf",
        spec="channel-merrow-master",
        settings=replace(_MERROW, timecode="00:00:00:00"),
        draws="fields",
        fault="start timecode 00:00:00:00 in place of 10:00:00:00",
        fails=("start", "timeline-start"),
        rewraps="OLP_LAMPLIGHTERS_MERROW_HD50I_V06.mxf",
    ),
    Recipe(
        name="OLP_LAMPLIGHTERS_MERROW_HD50I_V03.mxf",
        spec="channel-merrow-master",
        settings=_MERROW,
        draws="fields",
        extra_frames=1,
        fault="one frame too long",
        fails=("length", "integrity-edit-cuts"),
    ),
    Recipe(
        name="OLP_LAMPLIGHTERS_MERROW_HD50I_V04.mxf",
        spec="channel-merrow-master",
        settings=_MERROW,
        draws="fields-turned",
        fault="the bottom field is earlier, the stream says top first",
        fails=("field-order", "mistakes"),
    ),
    Recipe(
        name="OLP_LAMPLIGHTERS_MERROW_HD50I_V05.mxf",
        spec="channel-merrow-master",
        settings=replace(_MERROW, sound_dropout=True),
        draws="fields-with-gap",
        fault="a gap of six black frames, and a dropout in the sound",
        fails=("dropout",),
        cautions=("black", "integrity-edit-cuts"),  # the gap hides a cut
    ),
    Recipe(
        name="OLP_LAMPLIGHTERS_MERROW_HD50I_V06.mxf",
        spec="channel-merrow-master",
        settings=_MERROW,
        draws="fields",
    ),
)
