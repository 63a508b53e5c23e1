from fractions import Fraction
from unittest import TestCase

from brisk_core.exact import Timecode
from brisk_core.facts import (
    REGISTRY,
    CaptionTrack,
    Chapter,
    Depth,
    FactsBuilder,
    Group,
    Kind,
    Span,
    TimeSpan,
    Track,
    Unheard,
    Witness,
    inspection_from_json,
    inspection_to_json,
    keys,
    spell,
)
from brisk_core.facts.inspection import inspected

#: The registry, written out apart from the code that registers it; the design's first edition and what was added.
CONTRACT = {
    "file": "name extension size checksum contradictions",
    "wrapper": "format brands complete damage index_first fragmented duration bitrate start_timecode edit_offset tracks",
    "picture": "codec codec_label profile level level_exceeded tier entropy ref_frames slices b_frames coded_size size pixel_aspect "
    "display_aspect rotation frame_rate rate_mode frame_count scan field_order chroma bit_depth alpha primaries transfer "
    "matrix range hdr stereo_packing encoder_note",
    "bitrate": "average maximum peak_1s low_1s mode buffer bits_per_pixel by_type",
    "gop": "longest shortest open pattern",
    "timing": "gaps steps duplicates disorder sound_offset sound_length_difference sound_gaps",
    "content": "black freeze repeat blend drop comb flash cadence active_area bars levels level_shift detail blockiness "
    "outside_narrow bars_change cuts unreadable burst mistakes motion",
    "sound": "tracks codec sample_rate bit_depth channels layout bitrate start loudness loudness_range short_max momentary_max "
    "true_peak clipping silence unreadable dropout click phase dc_offset same_channels silent_channels programme_loudness mistakes",
    "text": "captions overlap reading_speed out_of_range rate_mismatch line_length chapters gap line_count document encoding "
    "burned_in agreement",
    "edit": "size frame_rate scan pixel_aspect start_timecode sample_rate length cuts shots shape gaps chapters",
    "order": "kind",
    "master": "map level_curve geometry similarity sound",
}


class RegistryTest(TestCase):
    def test_every_characteristic_is_complete(self) -> None:
        for id_, characteristic in REGISTRY.items():
            self.assertEqual(id_, characteristic.id)
            self.assertRegex(id_, r"^[a-z]+\.[a-z0-9_]+$")
            self.assertTrue(characteristic.label and characteristic.definition.endswith("."), id_)
            self.assertTrue(characteristic.witnesses, id_)
            self.assertEqual(bool(characteristic.choices), characteristic.kind is Kind.CHOICE, id_)

    def test_the_contract_of_facts_is_registered_whole(self) -> None:
        contract = {f"{group}.{name}" for group, names in CONTRACT.items() for name in names.split()}
        self.assertEqual(set(REGISTRY), contract)

    def test_every_group_of_the_ribbon_is_used(self) -> None:
        self.assertEqual({characteristic.group for characteristic in REGISTRY.values()}, set(Group))


#: One value of each kind, to prove that JSON loses nothing.
SAMPLES = {
    Kind.TEXT: "High",
    Kind.FLAG: True,
    Kind.COUNT: 3,
    Kind.NUMBER: -23.1,
    Kind.BYTES: 20_000_000,
    Kind.BIT_RATE: 49_812_345,
    Kind.RATE: Fraction(30000, 1001),
    Kind.RATIO: Fraction(16, 11),
    Kind.SECONDS: Fraction(251, 25),
    Kind.SIZE: (1920, 1080),
    Kind.AREA: (0, 140, 1920, 800),
    Kind.TIMECODE: Timecode.parse("10:00:00;02", Fraction(30000, 1001)),
    Kind.TIMES: (TimeSpan(start=3.2, end=3.34, detail="gone"), TimeSpan(start=5.0, end=5.1)),
    Kind.TEXTS: ("isom", "avc1"),
    Kind.TRACKS: (Track(kind="picture", codec="avc1", language=None, default=True),),
    Kind.CAPTIONS: (CaptionTrack(kind="embedded", format="mov_text", language="eng", count=4),),
    Kind.CHAPTERS: (Chapter(time=Fraction(5, 2), title="Dusk", on_random_access=False),),
    Kind.SPANS: (Span(start=120, end=132, detail="0.5 s"),),
    Kind.OBJECT: {"xxh3_128": "00"},
}


class InspectionJsonTest(TestCase):
    def build(self) -> FactsBuilder:
        builder = FactsBuilder()
        for id_, characteristic in REGISTRY.items():
            if not inspected(characteristic):
                continue
            value = characteristic.choices[0] if characteristic.kind is Kind.CHOICE else SAMPLES[characteristic.kind]
            for witness in characteristic.witnesses:
                builder.say(witness, keys.BY_ID[id_], (value, None) if characteristic.per_track else value)
        return builder

    def test_every_kind_goes_to_json_and_back(self) -> None:
        inspection = self.build().finish(file_name="a.mp4", file_size=7, depth=Depth.FULL)
        self.assertEqual(inspection_from_json(inspection_to_json(inspection)), inspection)
        self.assertEqual(inspection.unread, {})

    def test_json_has_the_forms_of_the_contract(self) -> None:
        rows = inspection_to_json(self.build().finish(file_name="a.mp4", file_size=7, depth=Depth.FULL))[
            "characteristics"
        ]
        self.assertEqual(rows["picture.frame_rate"]["observed"], "30000/1001")
        self.assertEqual(rows["picture.pixel_aspect"]["declared"], "16:11")
        self.assertEqual(rows["picture.size"]["coded"], [1920, 1080])
        self.assertEqual(
            rows["wrapper.duration"],
            {"declared": "251/25", "declared_s": 10.04, "coded": None, "observed": "251/25", "observed_s": 10.04},
        )
        self.assertEqual(rows["wrapper.start_timecode"]["declared"], {"timecode": "10:00:00;02", "rate": "30000/1001"})
        self.assertEqual(rows["sound.sample_rate"]["declared"], [3, None])

    def test_a_witness_that_was_not_heard_is_absent_and_its_reason_stands_in_unread(self) -> None:
        inspection = FactsBuilder().finish(file_name="a.mp4", file_size=7, depth=Depth.HEADERS)
        document = inspection_to_json(inspection)
        self.assertEqual(document["characteristics"]["picture.scan"], {"declared": None, "coded": None})
        self.assertEqual(document["unread"]["picture.scan"], "the pictures have not been scanned")
        self.assertIs(inspection.facts["picture.scan"].observed, Unheard.UNHEARD)
        self.assertIsNone(inspection.best("picture.scan"))

    def test_a_witness_that_cannot_speak_is_refused(self) -> None:
        with self.assertRaisesRegex(ValueError, "file.name has no observed witness"):
            FactsBuilder().observed(keys.FILE_NAME, "x")

    def test_the_best_witness_is_the_observed_one(self) -> None:
        builder = FactsBuilder()
        builder.declared(keys.PICTURE_FRAME_RATE, Fraction(24))
        builder.coded(keys.PICTURE_FRAME_RATE, Fraction(25))
        inspection = builder.finish(file_name="a", file_size=1, depth=Depth.HEADERS)
        self.assertEqual(inspection.best("picture.frame_rate"), Fraction(25))
        self.assertEqual(list(inspection.facts["picture.frame_rate"].spoken()), [Witness.DECLARED, Witness.CODED])

    def test_another_schema_is_refused(self) -> None:
        with self.assertRaisesRegex(ValueError, "met schema 'x'; expected 'brisk-sentry/inspection/1'"):
            inspection_from_json({"schema": "x"})


class SpellingTest(TestCase):
    def test_values_by_track_are_said_once_when_equal(self) -> None:
        self.assertEqual(spell(Kind.COUNT, True, (48000, 48000), "Hz"), "48000 Hz")
        self.assertEqual(spell(Kind.COUNT, True, (48000, 44100), "Hz"), "48000 Hz, 44100 Hz")
        self.assertEqual(spell(Kind.COUNT, True, ()), "no sound")
        self.assertEqual(spell(Kind.RATE, False, None), "–")
        levels = {"min": 4, "max": 241, "below_narrow": 0.0028, "above_narrow": 0.0}
        self.assertEqual(spell(Kind.OBJECT, False, levels), "4 to 241, 0.28 % below and 0 % above narrow range")
        tracks = ((), (TimeSpan(start=1.0, end=1.5), TimeSpan(start=2.0, end=2.1)))
        self.assertEqual(spell(Kind.TIMES, True, tracks), "2 places")
