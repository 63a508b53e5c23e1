import struct
import tempfile
from fractions import Fraction
from pathlib import Path
from typing import Any
from unittest import TestCase

import av
import numpy as np

from brisk_core.errors import UnreadableFile
from brisk_core.facts import Depth, Inspection, keys
from brisk_core.facts.keys import Key
from brisk_core.inspect import inspect
from brisk_core.reading import Source
from brisk_core.reading.streams.sound_headers import parse_aac
from brisk_core.reading.wrappers.boxes import walk_file
from brisk_core.small_media import Small, make_small


class MediaTest(TestCase):
    """Gives each test a folder and short words for reading a file made in it."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def made(self, name: str, **recipe: Any) -> Path:
        return make_small(self.folder / name, Small(**recipe))

    def read(self, path: Path, depth: Depth = Depth.FULL) -> Inspection:
        return inspect(Source.at(str(path)), depth).inspection

    def said(self, path: Path, key: Key[Any]) -> tuple[Any, Any, Any]:
        fact = self.read(path).witnessed(key)
        return fact.declared, fact.coded, fact.observed


class WrapperTest(MediaTest):
    def test_index_before_and_after_the_media(self) -> None:
        first = self.made("a.mp4", container_options={"movflags": "+faststart"})
        last = self.made("b.mp4")
        self.assertIs(self.read(first).best("wrapper.index_first"), True)
        self.assertIs(self.read(last).best("wrapper.index_first"), False)

    def test_formats_by_signature_and_by_extension(self) -> None:
        for name, codec, declared, observed in (
            ("a.mp4", "libx264", "mp4", "mp4"),
            ("a.mov", "libx264", "mov", "mov"),
            ("a.mkv", "libx264", "matroska", "matroska"),
            ("a.webm", "libvpx-vp9", "webm", "webm"),
            ("a.ts", "libx264", "mpeg-ts", "mpeg-ts"),
            ("a.mpg", "mpeg2video", "mpeg-ps", "mpeg-ps"),
            ("a.avi", "libx264", "avi", "avi"),
            ("a.mxf", "mpeg2video", None, "mxf-op1a"),
        ):
            path = self.made(name, codec=codec, frames=10, options={})
            facts = self.read(path, Depth.HEADERS).facts["wrapper.format"]
            self.assertEqual((facts.declared, facts.observed), (declared, observed), name)
        renamed = self.made("c.mp4").rename(self.folder / "c.mov")
        facts = self.read(renamed, Depth.HEADERS).facts["wrapper.format"]
        self.assertEqual((facts.declared, facts.observed), ("mov", "mp4"))

    def test_fragments(self) -> None:
        path = self.made("a.mp4", container_options={"movflags": "frag_keyframe+empty_moov"})
        self.assertIs(self.read(path).best("wrapper.fragmented"), True)

    def test_brands_tracks_and_duration(self) -> None:
        inspection = self.read(self.made("a.mp4", sound="aac"))
        self.assertEqual(inspection.best("wrapper.brands")[0], "isom")
        self.assertEqual([track.kind for track in inspection.best("wrapper.tracks")], ["picture", "sound"])
        self.assertEqual(inspection.facts["wrapper.duration"].observed, Fraction(2))

    def test_start_timecode_of_mov_and_mxf(self) -> None:
        for name, rate, label in (
            ("a.mov", Fraction(25), "10:00:00:00"),
            ("b.mov", Fraction(30000, 1001), "01:00:00;02"),
        ):
            declared, _, _ = self.said(self.made(name, rate=rate, timecode=label), keys.WRAPPER_START_TIMECODE)
            self.assertEqual((str(declared), declared.rate), (label, rate))
        path = self.made("a.mxf", codec="mpeg2video", timecode="10:00:00:00", options={"gop_timecode": "09:59:59:00"})
        declared, coded, _ = self.said(path, keys.WRAPPER_START_TIMECODE)
        self.assertEqual((str(declared), str(coded)), ("10:00:00:00", "09:59:59:00"))

    def test_the_edit_list_of_a_sound_coder_is_told(self) -> None:
        offsets = self.read(self.made("a.mp4", sound="aac")).best("wrapper.edit_offset")
        self.assertEqual(offsets, (Fraction(0), Fraction(-1024, 48000)))


class PictureTest(MediaTest):
    def test_digital_video_tapes(self) -> None:
        for name, pixels, chroma in (("a.avi", "yuv411p", "4:1:1"), ("b.mov", "yuv422p", "4:2:2")):
            path = self.made(
                name, codec="dvvideo", pixels=pixels, size=(720, 480), rate=Fraction(30000, 1001), options={}, frames=3
            )
            self.assertEqual(self.said(path, keys.PICTURE_CODEC)[:2], ("dv", "dv"), name)
            self.assertEqual(self.said(path, keys.PICTURE_CHROMA)[1], chroma, name)

    def test_what_the_library_alone_reads_is_measured_and_its_wrapper_is_not_vouched_for(self) -> None:
        pal = {"codec": "mpeg2video", "size": (720, 576), "options": {"bf": "2"}}
        for name, recipe, codec, sounds in (
            ("a.m2v", pal | {"format": "mpeg2video"}, "mpeg2", 0),
            ("a.flv", {"sound": "aac", "sample_rate": 44100, "options": {"bf": "2"}}, "avc", 1),
            ("a.dv", {"codec": "dvvideo", "size": (720, 576), "options": {}, "sound": "pcm_s16le"}, "dv", 1),
            ("a.wmv", {"codec": "wmv2", "format": "asf", "options": {}}, "other", 0),
            ("a.ivf", {"codec": "libvpx-vp9", "options": {}}, "vp9", 0),
            ("a.y4m", {"codec": "wrapped_avframe", "format": "yuv4mpegpipe", "options": {}}, "raw", 0),
        ):
            with self.subTest(name):
                found = self.read(self.made(name, frames=25, **recipe))
                self.assertEqual((found.best("wrapper.format"), found.best("picture.codec")), ("other", codec))
                self.assertEqual((found.best("picture.frame_count"), found.best("picture.frame_rate")), (25, 25))
                self.assertEqual((found.best("timing.gaps"), found.best("content.unreadable")), ((), ()))
                self.assertEqual(found.best("sound.tracks"), sounds)
                self.assertIsNone(found.best("wrapper.complete"))  # nobody can say so

    def test_sound_alone_in_aiff(self) -> None:
        path = self.folder / "a.aif"
        with av.open(str(path), "w", format="aiff") as container:
            stream = container.add_stream("pcm_s24be", rate=48000, layout="stereo")
            frame = av.AudioFrame.from_ndarray(np.full((1, 9600), 1 << 20, np.int32), format="s32", layout="stereo")
            frame.sample_rate = 48000
            container.mux(stream.encode(frame))
        self.assertEqual(self.said(path, keys.SOUND_CODEC)[0], ("pcm",))
        self.assertEqual(self.said(path, keys.SOUND_BIT_DEPTH)[0], (24,))

    def test_rates_are_exact_in_every_wrapper(self) -> None:
        for rate in (Fraction(24000, 1001), Fraction(25), Fraction(30000, 1001), Fraction(60000, 1001)):
            for name in ("a.mp4", "a.mov", "a.mkv", "a.ts"):
                path = self.made(name, rate=rate, frames=100)
                declared, coded, observed = self.said(path, keys.PICTURE_FRAME_RATE)
                self.assertEqual((coded, observed), (rate, rate), (name, rate))
                self.assertIn(declared, (rate, None))

    def test_three_witnesses_of_an_mp4(self) -> None:
        path = self.made("a.mp4", size=(322, 182))
        self.assertEqual(self.said(path, keys.PICTURE_SIZE)[:2], ((322, 182), (322, 182)))
        self.assertEqual(self.said(path, keys.PICTURE_CODEC)[:2], ("avc", "avc"))
        self.assertEqual(self.said(path, keys.PICTURE_FRAME_COUNT), (50, None, 50))
        self.assertEqual(self.said(path, keys.PICTURE_CHROMA)[1], "4:2:0")

    def test_pixel_shape_and_rotation(self) -> None:
        def shape(_: Any, stream: Any) -> None:
            stream.sample_aspect_ratio = Fraction(64, 45)

        path = self.made("a.mp4", size=(720, 576), frames=5, prepare=shape)
        self.assertEqual(self.said(path, keys.PICTURE_PIXEL_ASPECT)[:2], (Fraction(64, 45), Fraction(64, 45)))
        self.assertEqual(self.said(path, keys.PICTURE_DISPLAY_ASPECT)[:2], (Fraction(16, 9), Fraction(16, 9)))
        for degrees in (90, 180, 270):

            def turn(_: Any, stream: Any, degrees: int = degrees) -> None:
                stream.set_display_rotation(-degrees)

            path = self.made(f"{degrees}.mp4", frames=5, prepare=turn)
            self.assertEqual(self.said(path, keys.PICTURE_ROTATION)[0], degrees)

    def test_scan_and_field_order_of_avc(self) -> None:
        for params, flags, scan, order in (
            ("", "", "progressive", None),
            ("tff=1", "+ildct+ilme", "interlaced", "top"),
            ("bff=1", "+ildct+ilme", "interlaced", "bottom"),
            ("fake-interlaced=1", "", "interlaced", None),
        ):
            options = {"x264-params": params} | ({"flags": flags} if flags else {})
            inspection = self.read(self.made("a.mp4", options=options, frames=10))
            self.assertEqual(inspection.facts["picture.scan"].coded, scan)
            self.assertEqual(inspection.facts["picture.field_order"].coded, order)

    def test_mpeg2_headers(self) -> None:
        options = {"flags": "+ildct+ilme", "profile": "0", "level": "2", "b": "5000000", "g": "12", "bf": "2"}
        path = self.made("a.mxf", codec="mpeg2video", pixels="yuv422p", size=(1920, 1080), frames=13, options=options)
        inspection = self.read(path)
        coded = {id_: fact.coded for id_, fact in inspection.facts.items()}
        self.assertEqual(coded["picture.profile"], "4:2:2")
        self.assertEqual(coded["picture.level"], "High")
        self.assertEqual(coded["picture.chroma"], "4:2:2")
        self.assertEqual(coded["picture.size"], (1920, 1080))
        self.assertEqual(coded["picture.frame_rate"], Fraction(25))
        self.assertIn(coded["picture.scan"], ("interlaced", "progressive-as-fields"))
        self.assertEqual(inspection.best("gop.longest"), 12)

    def test_prores_flavour_and_frame_header(self) -> None:
        path = self.made("a.mov", codec="prores_ks", pixels="yuv422p10le", frames=5, options={"profile": "3"})
        self.assertEqual(self.said(path, keys.PICTURE_PROFILE)[0], "422 HQ")
        self.assertEqual(self.said(path, keys.PICTURE_CODEC)[:2], ("prores", "prores"))
        self.assertEqual(self.said(path, keys.PICTURE_CHROMA)[1], "4:2:2")
        self.assertEqual(self.said(path, keys.PICTURE_BIT_DEPTH)[1], 10)

    def test_the_stream_betrays_its_codec_by_its_own_bytes(self) -> None:
        for name, codec, found in (
            ("a.webm", "libvpx-vp9", "vp9"),
            ("b.webm", "libvpx", "vp8"),
            ("a.mp4", "libsvtav1", "av1"),
            ("a.avi", "mpeg4", "mpeg4"),
            ("a.mpg", "mpeg2video", "mpeg2"),
            ("b.mpg", "mpeg1video", "mpeg1"),
            ("a.ts", "libx265", "hevc"),
            ("a.mkv", "libx264", "avc"),
            ("a.mov", "mjpeg", "mjpeg"),
        ):
            pixels = "yuvj420p" if codec == "mjpeg" else "yuv420p"
            options = {"x265-params": "log-level=none"} if codec == "libx265" else {}
            path = self.made(name, codec=codec, pixels=pixels, frames=4, options=options)
            self.assertEqual(self.said(path, keys.PICTURE_CODEC)[:2], (found, found), name)

    def test_colour_of_wrapper_and_stream_apart(self) -> None:
        def colour(_: Any, stream: Any) -> None:
            context = stream.codec_context
            context.color_primaries = context.color_trc = context.colorspace = 1
            context.color_range = 2

        path = self.made(
            "a.mp4", pixels="yuvj420p", frames=5, prepare=colour, container_options={"movflags": "+write_colr"}
        )
        self.assertEqual(self.said(path, keys.PICTURE_PRIMARIES)[:2], ("BT.709", "BT.709"))
        self.assertEqual(self.said(path, keys.PICTURE_RANGE)[:2], ("full", "full"))


class SoundTest(MediaTest):
    def test_no_sound(self) -> None:
        inspection = self.read(self.made("a.mp4"))
        self.assertEqual(inspection.best("sound.tracks"), 0)
        self.assertEqual(inspection.facts["sound.codec"].declared, ())

    def test_aac(self) -> None:
        inspection = self.read(self.made("a.mp4", sound="aac", sample_rate=44100))
        self.assertEqual(inspection.facts["sound.sample_rate"].declared, (44100,))
        self.assertEqual(inspection.facts["sound.sample_rate"].coded, (44100,))
        self.assertEqual(inspection.facts["sound.codec"].coded, ("aac",))
        self.assertEqual(inspection.facts["sound.layout"].coded, ("stereo",))
        self.assertEqual(inspection.best("timing.sound_offset"), 0)

    def test_the_layer_of_mpeg_sound_that_comes_late_is_that_of_its_header(self) -> None:
        late = {"codec": "mpeg2video", "size": (320, 240), "frames": 300, "options": {"b": "4M"}}
        for coder, layer in (("mp2", "mp2"), ("libmp3lame", "mp3")):
            path = self.made(f"{layer}.ts", sound=coder, **late)
            found = self.read(path, Depth.HEADERS)
            self.assertEqual(found.witnessed(keys.SOUND_CODEC).coded, (layer,))
        self.assertEqual(self.read(self.folder / "mp2.ts").best("file.contradictions"), ())

    def test_sound_that_begins_after_all_pictures_says_nothing_before_it_is_met(self) -> None:
        late = {"codec": "mpeg2video", "size": (640, 360), "frames": 500, "options": {"b": "12M"}}
        path = self.made("late.ts", sound="mp2", **late)
        found = self.read(path, Depth.HEADERS).witnessed(keys.SOUND_CODEC)
        self.assertIn(found.coded, (None, ("mp2",)))
        whole = self.read(path)
        self.assertEqual((whole[keys.SOUND_CODEC], whole.best("file.contradictions")), (("mp2",), ()))
        self.assertEqual(whole[keys.TIMING_SOUND_GAPS], ())

    def test_pcm_is_declared_and_not_coded(self) -> None:
        inspection = self.read(self.made("a.mov", sound="pcm_s24le"))
        facts = inspection.facts
        self.assertEqual((facts["sound.codec"].declared, facts["sound.codec"].coded), (("pcm",), None))
        self.assertEqual(facts["sound.bit_depth"].declared, (24,))
        self.assertEqual(facts["sound.bitrate"].declared, (48000 * 2 * 24,))
        self.assertEqual(facts["sound.bitrate"].observed, (48000 * 2 * 24,))

    def test_audio_specific_config(self) -> None:
        parsed = parse_aac(bytes.fromhex("1190"))  # object 2, index 3, configuration 2 (14496-3, 1.6.2.1)
        self.assertEqual((parsed.object_type, parsed.sample_rate, parsed.channels), (2, 48000, 2))


class BadFileTest(MediaTest):
    def refuses(self, name: str, data: bytes, says: str) -> None:
        path = self.folder / name
        path.write_bytes(data)
        with self.assertRaises(UnreadableFile) as caught:
            self.read(path)
        self.assertEqual(str(caught.exception), says)

    def test_an_empty_file(self) -> None:
        self.refuses("a.mp4", b"", "the file is empty; expected a media file")

    def test_text_named_mp4(self) -> None:
        self.refuses(
            "a.mp4",
            b"This is a letter.\n",
            "this is no media file that is known: it is plain text",
        )

    def test_pictures_without_a_wrapper_and_without_times(self) -> None:
        says = "so nothing says when its pictures are shown; ask for it in one (MP4, MOV, MXF, a transport stream)"
        for name, codec, format_, options, called in (
            ("a.264", "libx264", "h264", {}, "AVC"),
            ("b.264", "libx264", "h264", {"x264-params": "aud=1"}, "AVC"),
            ("a.265", "libx265", "hevc", {"x265-params": "log-level=none"}, "HEVC"),
            ("b.265", "libx265", "hevc", {"x265-params": "log-level=none:aud=1"}, "HEVC"),
        ):
            data = self.made(name, codec=codec, format=format_, options=options, frames=3).read_bytes()
            self.refuses(name, data, f"this is no media file that is known: it is {called} without a wrapper, {says}")

    def test_a_play_list_is_not_followed(self) -> None:
        with self.assertRaisesRegex(UnreadableFile, "no media file that is known"):
            (self.folder / "a.mp4").write_bytes(b"#EXTM3U\n#EXT-X-TARGETDURATION:9\n#EXTINF:9,\n/etc/passwd\n")
            self.read(self.folder / "a.mp4")

    def test_an_index_that_was_cut_off(self) -> None:
        whole = self.made("a.mp4").read_bytes()
        cut = whole[: whole.index(b"moov") - 4]
        self.refuses("b.mp4", cut, "the file is cut: there is no index (moov box), so nothing says where its media is")

    def test_media_that_was_cut_off(self) -> None:
        path = self.made("a.mp4", container_options={"movflags": "+faststart"}, size=(640, 360))
        whole = path.read_bytes()
        cut = self.folder / "b.mp4"
        cut.write_bytes(whole[: len(whole) * 2 // 3])
        inspection = self.read(cut)
        self.assertIs(inspection.best("wrapper.complete"), False)
        self.assertEqual(inspection.facts["picture.frame_count"].declared, 50)
        self.assertLess(inspection.facts["picture.frame_count"].observed, 50)

    def test_two_gigabytes_claimed_in_four_kilobytes(self) -> None:
        box = struct.pack(">I4s", 2 << 30, b"moov") + b"\0" * 4000
        path = self.folder / "a.mp4"
        path.write_bytes(struct.pack(">I4s4sI", 16, b"ftyp", b"isom", 0) + box)
        with path.open("rb") as file:
            boxes = list(walk_file(file, path.stat().st_size))
        self.assertEqual([(one.kind, one.cut) for one in boxes], [("ftyp", False), ("moov", True)])
        with self.assertRaises(UnreadableFile):
            self.read(path)

    def test_a_folder_and_nothing(self) -> None:
        with self.assertRaisesRegex(UnreadableFile, "is a directory; expected a file"):
            Source.at(str(self.folder))
        with self.assertRaisesRegex(UnreadableFile, "cannot open .*missing.mp4: No such file or directory"):
            Source.at(str(self.folder / "missing.mp4"))

    def test_damaged_bytes_anywhere_give_facts_or_a_sentence(self) -> None:
        whole = bytearray(self.made("a.mp4", sound="aac", frames=20).read_bytes())
        for at in range(0, len(whole), max(1, len(whole) // 60)):
            damaged = bytearray(whole)
            damaged[at : at + 4] = b"\xff\xff\xff\xff"
            path = self.folder / "b.mp4"
            path.write_bytes(damaged)
            try:
                self.assertTrue(self.read(path).facts)
            except UnreadableFile as error:
                self.assertTrue(str(error))
