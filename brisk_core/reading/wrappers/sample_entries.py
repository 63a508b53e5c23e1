"""What sample entries and track boxes declare of the picture (ISO/IEC 14496-12, 12.1; 14496-15; QTFF)."""

from __future__ import annotations

import struct
from fractions import Fraction
from typing import Any

from brisk_core.exact import display_aspect, rate_of_steps
from brisk_core.facts import FactsBuilder, FieldOrder, Scan, Witness, keys
from brisk_core.reading.streams import av1, avc, hevc, prores
from brisk_core.reading.streams.coded_header import say_colour
from brisk_core.reading.wrappers.movie import MovieTrack, SampleEntry, rotation

_BY_ENTRY = {
    "dvc ": "dv", "dvcp": "dv", "dvpp": "dv", "dv5n": "dv", "dv5p": "dv", "dvhp": "dv", "dvh5": "dv", "dvh6": "dv",
    "avc1": "avc", "avc2": "avc", "avc3": "avc", "avc4": "avc", "hvc1": "hevc", "hev1": "hevc", "AVdn": "vc3",
    "AVdh": "vc3", "mp4v": "mpeg4", "m2v1": "mpeg2", "xdvb": "mpeg2", "jpeg": "mjpeg", "mjpa": "mjpeg",
    "mjp2": "jpeg2000",
    "v210": "v210", "2vuy": "raw", "raw ": "raw", "vp08": "vp8", "vp09": "vp9", "av01": "av1", "FFV1": "ffv1",
} | dict.fromkeys(prores.FLAVOURS, "prores")  # fmt: skip
#: chromaSubsampling of a VP codec configuration.
_VP_CHROMA = {0: "4:2:0", 1: "4:2:0", 2: "4:2:2", 3: "4:4:4"}
_FIELD_ORDER = {
    1: FieldOrder.TOP,
    14: FieldOrder.TOP,
    6: FieldOrder.BOTTOM,
    9: FieldOrder.BOTTOM,
}  # fiel box (QTFF, field handling)


def declare_from_entry(builder: FactsBuilder, track: MovieTrack) -> None:
    """Record what the sample entry and the track boxes declare of the picture."""
    turn = rotation(track.matrix)
    with builder.at(track.place("tkhd")):
        builder.declared(keys.PICTURE_ROTATION, turn)
    entry = track.entry
    if entry is None:
        return
    with builder.at(track.place("stsd")):
        builder.declared(keys.PICTURE_CODEC, _BY_ENTRY.get(entry.code, "other"))
        builder.declared(keys.PICTURE_CODEC_LABEL, entry.code)
        builder.declared(keys.PICTURE_PROFILE, prores.FLAVOURS.get(entry.code))
        if entry.code in prores.FLAVOURS:
            builder.declared(keys.PICTURE_ALPHA, {32: "present", 24: "none"}.get(entry.depth or 0))
    _declare_configuration(builder, track, entry)
    _declare_light(builder, track, entry)
    size = _clean_size(entry.boxes.get("clap"), entry.size)
    with builder.at(track.place("clap" if "clap" in entry.boxes else "stsd")):
        builder.declared(keys.PICTURE_SIZE, size)
    shape = _declared_pixel_aspect(track, entry.boxes.get("pasp"), entry.size)
    with builder.at(track.place("pasp" if "pasp" in entry.boxes else "tkhd")):
        builder.declared(keys.PICTURE_PIXEL_ASPECT, shape)
        if size and shape:
            builder.declared(keys.PICTURE_DISPLAY_ASPECT, display_aspect(size, shape, turn or 0))
    if (fields := entry.boxes.get("fiel")) and len(fields) >= 2:
        with builder.at(track.place("fiel")):
            builder.declared(keys.PICTURE_SCAN, {1: Scan.PROGRESSIVE, 2: Scan.INTERLACED}.get(fields[0]))
            if fields[0] == 2:
                builder.declared(keys.PICTURE_FIELD_ORDER, _FIELD_ORDER.get(fields[1]))
    with builder.at(track.place("colr")):
        _declare_colour(builder, entry.boxes.get("colr"))
    if (rates := entry.boxes.get("btrt")) and len(rates) >= 12:
        with builder.at(track.place("btrt")):
            _, most, mean = struct.unpack_from(">III", rates)
            builder.declared(keys.BITRATE_MAXIMUM, most or None)
            builder.declared(keys.BITRATE_AVERAGE, mean or None)
    with builder.at(track.place("stsz")):
        builder.declared(keys.PICTURE_FRAME_COUNT, track.sample_count or None)
    if (mean := track.frame_rate) and track.timescale:
        # The first steps tell the grain of the table; the writer's last one is often a makeshift.
        met = [ticks for _, ticks in (track.steps[:-1] or track.steps)]
        rate = rate_of_steps(mean, min(met), max(met), Fraction(1, track.timescale))
        with builder.at(track.place("stts") if "stts" in track.offsets else "first moof/traf (ISO/IEC 14496-12, 8.8)"):
            builder.declared(keys.PICTURE_FRAME_RATE, rate)


def _declare_configuration(builder: FactsBuilder, track: MovieTrack, entry: SampleEntry) -> None:
    """Record what the decoder configuration in a sample entry repeats of the stream (14496-15; AV1, VP9)."""
    if (record := entry.boxes.get("avcC")) and len(record) >= 4:
        with builder.at(track.place("avcC")):
            builder.declared(keys.PICTURE_PROFILE, avc.profile_name(record[1], record[2]))
            builder.declared(keys.PICTURE_LEVEL, avc.level_name(record[1], record[2], record[3]))
    if (record := entry.boxes.get("hvcC")) and len(record) >= 19:
        chroma, depth = ("4:0:0", "4:2:0", "4:2:2", "4:4:4")[record[16] & 3], (record[17] & 7) + 8
        with builder.at(track.place("hvcC")):
            builder.declared(keys.PICTURE_PROFILE, hevc.profile_name(record[1] & 31, chroma, depth))
            builder.declared(keys.PICTURE_TIER, "High" if record[1] & 0x20 else "Main")
            builder.declared(keys.PICTURE_LEVEL, hevc.level_name(record[12]))
            builder.declared(keys.PICTURE_CHROMA, chroma)
            builder.declared(keys.PICTURE_BIT_DEPTH, depth)
    if (record := entry.boxes.get("av1C")) and len(record) >= 4:
        with builder.at(track.place("av1C")):
            builder.declared(keys.PICTURE_LEVEL, av1.level_name(record[1] & 31))
            builder.declared(keys.PICTURE_TIER, "High" if record[2] & 0x80 else "Main")
            builder.declared(keys.PICTURE_BIT_DEPTH, 8 + 2 * (record[2] >> 6 & 1) + 2 * (record[2] >> 5 & 1))
    if (record := entry.boxes.get("vpcC")) and len(record) >= 12:
        with builder.at(track.place("vpcC")):
            builder.declared(keys.PICTURE_PROFILE, f"Profile {record[4]}")
            builder.declared(keys.PICTURE_LEVEL, f"{record[5] / 10:g}" if record[5] else None)
            builder.declared(keys.PICTURE_BIT_DEPTH, record[6] >> 4)
            builder.declared(keys.PICTURE_CHROMA, _VP_CHROMA.get(record[6] >> 1 & 7))
            builder.declared(keys.PICTURE_RANGE, "full" if record[6] & 1 else "narrow")
            say_colour(builder, Witness.DECLARED, record[7], record[8], record[9])


def _declare_light(builder: FactsBuilder, track: MovieTrack, entry: SampleEntry) -> None:
    """Light metadata by mdcv and clli boxes (ISO/IEC 14496-12, 12.1.6 and 12.1.7)."""
    light: dict[str, Any] = {}
    if len(display := entry.boxes.get("mdcv", b"")) >= 24:
        light |= hevc.mastering_display(display)
    if len(content := entry.boxes.get("clli", b"")) >= 4:
        light |= hevc.content_light(content)
    with builder.at(track.place("mdcv" if "mdcv" in entry.boxes else "clli")):
        builder.declared(keys.PICTURE_HDR, light or None)


def _clean_size(clean_aperture: bytes | None, size: tuple[int, int] | None) -> tuple[int, int] | None:
    """The clean aperture where one is declared (ISO/IEC 14496-12, 12.1.4), else the size of the entry."""
    if clean_aperture and len(clean_aperture) >= 16:
        width, width_by, height, height_by = struct.unpack_from(">4I", clean_aperture)
        if width and height and width_by and height_by:
            return round(Fraction(width, width_by)), round(Fraction(height, height_by))
    return size if size and all(size) else None


def _declared_pixel_aspect(track: MovieTrack, pasp: bytes | None, size: tuple[int, int] | None) -> Fraction | None:
    """Pixel shape by pasp (12.1.4), else by the shown size of the track header over the coded size."""
    if pasp and len(pasp) >= 8:
        across, down = struct.unpack_from(">II", pasp)
        return Fraction(across, down) if across and down else None
    shown = track.shown_size
    if size and all(size) and all(shown):
        return (Fraction(*shown) / Fraction(*size)).limit_denominator(200)
    return None


def _declare_colour(builder: FactsBuilder, box: bytes | None) -> None:
    """Colour by a colr box of type nclx (14496-12, 12.1.5) or nclc (QTFF)."""
    if not box or box[:4] not in (b"nclx", b"nclc") or len(box) < 10:
        return
    primaries, transfer, matrix = struct.unpack_from(">3H", box, 4)
    say_colour(builder, Witness.DECLARED, primaries, transfer, matrix)
    if box[:4] == b"nclx" and len(box) >= 11:
        builder.declared(keys.PICTURE_RANGE, "full" if box[10] & 0x80 else "narrow")
