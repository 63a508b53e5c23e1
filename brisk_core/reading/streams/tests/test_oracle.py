"""The own parsers against the decoding library's independent reading of the same headers, over several encoders."""

from fractions import Fraction
from pathlib import Path
from typing import Any

import av

from brisk_core.facts import Depth
from brisk_core.packets.picture_types import head_reader
from brisk_core.reading.streams import av1, avc, hevc, mpeg2
from brisk_core.reading.streams.picture_headers import CodedPicture
from brisk_core.reading.streams.tests.trace import first, traced
from brisk_core.reading.tests.test_headers import MediaTest

_HEVC_QUIET = "log-level=none"


class OracleTest(MediaTest):
    def coded(self, path: Path) -> dict[str, Any]:
        facts = self.read(path, Depth.HEADERS).facts
        return {id_.removeprefix("picture."): one.coded for id_, one in facts.items() if id_.startswith("picture.")}

    def test_avc_parameter_sets(self) -> None:
        for number, (recipe, params) in enumerate(
            (
                ({}, ""),
                ({"size": (322, 182), "rate": Fraction(30000, 1001)}, "ref=3:level=3.1:colorprim=bt709:transfer=bt709"),
                ({"pixels": "yuv422p10le"}, "colormatrix=bt470bg:fullrange=on:sar=16/11"),
                (
                    {"options": {"flags": "+ildct+ilme"}},
                    "tff=1:nal-hrd=cbr:vbv-maxrate=800:vbv-bufsize=800:bitrate=800",
                ),
                ({"pixels": "yuv444p"}, "cabac=0:bframes=0"),
            )
        ):
            with self.subTest(params):
                options = {"preset": "veryfast"} | dict(recipe.pop("options", {})) | {"x264-params": params}  # type: ignore[call-overload]
                path = self.made(f"{number}.mp4", options=options, frames=5, **recipe)
                self._hold_avc(path, traced(path, 2))

    def _hold_avc(self, path: Path, fields: list[tuple[str, int]]) -> None:
        sets = avc.ParameterSets()
        with av.open(str(path)) as container:
            _, units = avc.parse_configuration(bytes(container.streams.video[0].codec_context.extradata or b""))
        for unit in units:
            sets.take(unit)
        found = sets.first
        assert found
        mine = {
            "profile_idc": found.profile_idc,
            "level_idc": found.level_idc,
            "max_num_ref_frames": found.reference_frames,
            "frame_mbs_only_flag": int(found.frames_only),
            "pic_width_in_mbs_minus1": found.coded_size[0] // 16 - 1,
            "num_units_in_tick": found.ticks[0] if found.ticks else None,
            "time_scale": found.ticks[1] if found.ticks else None,
            "fixed_frame_rate_flag": int(found.fixed_rate) if found.fixed_rate is not None else None,
            "colour_primaries": found.primaries,
            "transfer_characteristics": found.transfer,
            "matrix_coefficients": found.matrix,
            "video_full_range_flag": None if found.full_range is None else int(found.full_range),
            "pic_struct_present_flag": int(found.picture_structure_coded),
            "entropy_coding_mode_flag": int(sets.pictures[0].cabac),
        }
        self.assertEqual(mine, {name: first(fields, name) for name in mine})
        crops = [first(fields, f"frame_crop_{side}_offset") or 0 for side in ("left", "right", "top", "bottom")]
        across, down = (2 if found.chroma != "4:4:4" else 1), (2 if found.chroma == "4:2:0" else 1)
        down *= 1 if found.frames_only else 2
        width, height = found.coded_size
        self.assertEqual(found.size, (width - across * sum(crops[:2]), height - down * sum(crops[2:])))
        if found.hrd:
            rate = (first(fields, "bit_rate_value_minus1[0]") or 0) + 1
            self.assertEqual(found.hrd.bits_per_second, rate << (6 + (first(fields, "bit_rate_scale") or 0)))

    def test_avc_slice_types_of_every_picture(self) -> None:
        path = self.made("a.mp4", frames=30, options={"preset": "medium", "x264-params": "bframes=3:keyint=12"})
        heads, fresh = [], False
        for name, value in traced(path, 30):
            fresh = fresh or name.startswith("Packet")
            if fresh and name == "slice_type":
                heads.append(value % 5)
                fresh = False
        with av.open(str(path)) as container:
            stream = container.streams.video[0]
            coded = CodedPicture("avc")
            coded.take_extradata(bytes(stream.codec_context.extradata or b""))
            head_of = head_reader("avc", coded.length_size)
            mine = [head_of(memoryview(packet)).type for packet in container.demux(stream) if packet.size]
        self.assertEqual(mine, ["PBIPI"[one] for one in heads])

    def test_hevc_parameter_sets(self) -> None:
        for number, (recipe, params) in enumerate(
            (
                ({}, ""),
                (
                    {"size": (322, 182), "rate": Fraction(60000, 1001)},
                    "level-idc=4.1:high-tier=1:colorprim=bt2020:range=full",
                ),
                ({"pixels": "yuv422p10le"}, "sar=16\\:11:ref=4"),
                ({}, "hrd=1:vbv-maxrate=900:vbv-bufsize=1800:bitrate=800"),
            )
        ):
            with self.subTest(params):
                joined = ":".join(filter(None, (_HEVC_QUIET, params)))
                options = {"preset": "ultrafast", "x265-params": joined}
                path = self.made(f"{number}.mkv", codec="libx265", options=options, frames=5, **recipe)
                fields = traced(path, 1)
                sets = hevc.ParameterSets()
                with av.open(str(path)) as container:
                    _, units = hevc.parse_configuration(
                        bytes(container.streams.video[0].codec_context.extradata or b"")
                    )
                for unit in units:
                    sets.take(unit)
                found = sets.first
                assert found
                after = "Sequence Parameter Set"
                mine = {
                    "general_profile_idc": found.profile_idc,
                    "general_level_idc": found.level_idc,
                    "general_tier_flag": int(found.high_tier),
                    "pic_width_in_luma_samples": found.coded_size[0],
                    "pic_height_in_luma_samples": found.coded_size[1],
                    "bit_depth_luma_minus8": found.bit_depth - 8,
                    "colour_primaries": found.primaries,
                }
                self.assertEqual(mine, {name: first(fields, name, after) for name in mine})
                scale, units_ = first(fields, "vui_time_scale", after), first(fields, "vui_num_units_in_tick", after)
                self.assertEqual(found.frame_rate, Fraction(scale, units_) if scale and units_ else None)
                if (rate := first(fields, "bit_rate_value_minus1[0]", after)) is not None:
                    assert found.hrd
                    self.assertEqual(
                        found.hrd.bits_per_second, (rate + 1) << (6 + (first(fields, "bit_rate_scale") or 0))
                    )

    def test_mpeg2_headers(self) -> None:
        for number, recipe in enumerate(
            (
                {"rate": Fraction(25)},
                {"size": (720, 576), "pixels": "yuv422p", "options": {"flags": "+ildct+ilme", "b": "8000000"}},
                {
                    "rate": Fraction(30000, 1001),
                    "options": {"maxrate": "6000000", "bufsize": "1835008", "b": "4000000"},
                },
            )
        ):
            path = self.made(f"{number}.ts", codec="mpeg2video", frames=5, **({"options": {}} | recipe))
            fields = traced(path, 2)
            with av.open(str(path)) as container:
                packet = next(one for one in container.demux(video=0) if one.size)
                found = mpeg2.read_headers(bytes(packet))
            indication = first(fields, "profile_and_level_indication")
            assert indication is not None
            rate = (first(fields, "bit_rate_value") or 0) + ((first(fields, "bit_rate_extension") or 0) << 18)
            buffer = (first(fields, "vbv_buffer_size_value") or 0) + (
                (first(fields, "vbv_buffer_size_extension") or 0) << 10
            )
            self.assertEqual(
                (found.size, (found.profile, found.level), found.progressive_sequence, found.chroma, found.buffer_bits),
                (
                    (first(fields, "horizontal_size_value"), first(fields, "vertical_size_value")),
                    mpeg2.name_profile_and_level(indication),
                    bool(first(fields, "progressive_sequence")),
                    {1: "4:2:0", 2: "4:2:2"}[first(fields, "chroma_format") or 1],
                    buffer * 16 * 1024,
                ),
            )
            if rate & 0x3FFFF != 0x3FFFF:
                self.assertEqual(found.bits_per_second, rate * 400)
            picture = found.pictures[0]
            self.assertEqual(
                (int(picture.top_field_first), int(picture.progressive), picture.structure),
                tuple(first(fields, name) for name in ("top_field_first", "progressive_frame", "picture_structure")),
            )

    def test_av1_sequence_header(self) -> None:
        for pixels, size in (("yuv420p", (320, 192)), ("yuv420p10le", (642, 362))):
            path = self.made(
                f"{pixels}.mp4", codec="libsvtav1", pixels=pixels, size=size, frames=3, options={"preset": "12"}
            )
            fields = traced(path, 1)
            coded = self.coded(path)
            width, height = first(fields, "max_frame_width_minus_1"), first(fields, "max_frame_height_minus_1")
            assert width
            assert height
            self.assertEqual(coded["size"], (width + 1, height + 1))
            self.assertEqual(coded["bit_depth"], 10 if first(fields, "high_bitdepth") else 8)
            self.assertEqual(coded["range"], "full" if first(fields, "color_range") else "narrow")
            self.assertEqual(coded["level"], av1.level_name(first(fields, "seq_level_idx[0]") or 0))

    def test_vp9_frame_header(self) -> None:
        for pixels, options in (("yuv420p", {}), ("yuv444p", {"profile": "1"}), ("yuv422p", {"profile": "1"})):
            path = self.made(
                f"{pixels}.webm", codec="libvpx-vp9", pixels=pixels, size=(322, 182), frames=3, options=options
            )
            fields = traced(path, 1)
            coded = self.coded(path)
            width, height = first(fields, "frame_width_minus_1"), first(fields, "frame_height_minus_1")
            assert width
            assert height
            self.assertEqual(coded["size"], (width + 1, height + 1))
            profile = (first(fields, "profile_low_bit") or 0) + 2 * (first(fields, "profile_high_bit") or 0)
            self.assertEqual(coded["profile"], f"Profile {profile}")
            across = first(fields, "subsampling_x") if profile & 1 else 1
            self.assertEqual(coded["chroma"], {"yuv420p": "4:2:0", "yuv444p": "4:4:4"}.get(pixels, "4:2:2"))
            self.assertEqual(across, 0 if pixels == "yuv444p" else 1)
