from fractions import Fraction
from typing import Any

import av
from av.video.frame import PictureType
from hypothesis import given
from hypothesis import strategies as st

from brisk_core.facts import keys
from brisk_core.packets import read_packets
from brisk_core.reading import Source, read_headers
from brisk_core.reading.bit_reader import BitsEnded
from brisk_core.reading.streams import hevc
from brisk_core.reading.tests.test_headers import MediaTest


class EncoderTest(MediaTest):
    """Parameter sets of an independent encoder, against what it was told."""

    def coded(self, name: str = "a.mp4", params: str = "", **recipe: Any) -> dict[str, Any]:
        options = {"preset": "ultrafast", "x265-params": f"log-level=none:{params}"}
        path = self.made(name, **({"codec": "libx265", "options": options, "frames": 12} | recipe))
        return {id_: fact.coded for id_, fact in self.read(path).facts.items()}

    def test_size_rate_profile_and_level(self) -> None:
        for name in ("a.mp4", "a.mkv", "a.ts"):
            said = self.coded(name, "level-idc=4.1:high-tier=0", size=(322, 182), rate=Fraction(30000, 1001))
            self.assertEqual(said["picture.codec"], "hevc", name)
            self.assertEqual((said["picture.size"], said["picture.coded_size"]), ((322, 182), (336, 192)))
            self.assertEqual(said["picture.frame_rate"], Fraction(30000, 1001))
            self.assertEqual(
                (said["picture.profile"], said["picture.level"], said["picture.tier"]), ("Main", "4.1", "Main")
            )
            self.assertEqual(said["picture.scan"], "progressive")

    def test_depth_and_chroma_name_the_profile(self) -> None:
        for pixels, profile, chroma, depth in (
            ("yuv420p10le", "Main 10", "4:2:0", 10),
            ("yuv422p10le", "Main 4:2:2 10", "4:2:2", 10),
            ("yuv444p", "Main 4:4:4", "4:4:4", 8),
        ):
            said = self.coded(pixels=pixels)
            self.assertEqual(
                (said["picture.profile"], said["picture.chroma"], said["picture.bit_depth"]), (profile, chroma, depth)
            )

    def test_wrapper_declares_apart_from_the_stream(self) -> None:
        path = self.made(
            "a.mp4", codec="libx265", pixels="yuv420p10le", frames=5, options={"x265-params": "log-level=none"}
        )
        for id_, value in (("picture.profile", "Main 10"), ("picture.chroma", "4:2:0"), ("picture.bit_depth", 10)):
            self.assertEqual(self.said(path, keys.BY_ID[id_])[:2], (value, value))

    def test_colour_range_and_light(self) -> None:
        params = (
            "colorprim=bt2020:transfer=smpte2084:colormatrix=bt2020nc:range=full:hdr10=1:max-cll=1000,400:"
            "master-display=G(13250,34500)B(7500,3000)R(34000,16000)WP(15635,16450)L(10000000,50)"
        )
        said = self.coded(params=params, pixels="yuv420p10le")
        self.assertEqual(
            [said[f"picture.{name}"] for name in ("primaries", "transfer", "matrix", "range")],
            ["BT.2020", "SMPTE ST 2084", "BT.2020", "full"],
        )
        light = said["picture.hdr"]
        self.assertEqual((light["max_cll"], light["max_fall"]), (1000, 400))
        self.assertEqual((light["max_luminance"], light["min_luminance"], light["red"]), (1000.0, 0.005, [0.68, 0.32]))

    def test_tools_before_the_usability_information_are_passed_over(self) -> None:
        for params in (
            "scaling-list=default",
            "bframes=4:b-pyramid=1:ref=4",
            "ctu=16:amp=1:rect=1",
            "temporal-layers=3:bframes=3",
        ):
            said = self.coded(params=params)
            self.assertEqual(said["picture.frame_rate"], Fraction(25), params)

    def test_picture_types_agree_with_decoded_pictures(self) -> None:
        for name in ("a.mp4", "a.ts"):
            options = {"x265-params": "log-level=none:keyint=12:bframes=3"}
            path = self.made(name, codec="libx265", options=options, frames=40)
            with av.open(str(path)) as container:
                decoded = "".join(PictureType(frame.pict_type).name for frame in container.decode(video=0))
            source = Source.at(str(path))
            series = read_packets(source, read_headers(source)).series
            assert series
            self.assertEqual(bytes(series.types[series.presentation_order]).decode(), decoded, name)

    @given(st.binary(max_size=200))
    def test_any_bytes_are_read_or_refused(self, data: bytes) -> None:
        for parse in (
            hevc.parse_sequence_parameters,
            hevc.parse_configuration,
            hevc.light_metadata,
            hevc.extra_slice_bits,
        ):
            try:
                parse(b"\x42\x01" + data)
            except BitsEnded:
                continue
