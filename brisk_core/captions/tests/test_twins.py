"""Caption files that are right though they look odd, and their twins that are wrong though they look right."""

from __future__ import annotations

from fractions import Fraction
from unittest import TestCase

from brisk_core.captions import CaptionDocument, Captioned, Programme, hold_captions, read_captions
from brisk_core.captions.languages import language_in
from brisk_core.captions.placing import place
from brisk_core.captions.tests.test_readers import make_stl
from brisk_core.captions.tests.test_rules import subrip
from brisk_core.errors import CaptionsRefused
from brisk_core.exact import Timecode

RATE = Fraction(25)
START = Timecode.parse("10:00:00:00", RATE)


def read(text: str, name: str) -> CaptionDocument:
    return read_captions(text.encode(), name)


def ttml(body: str, head: str = "", metadata: str = "") -> CaptionDocument:
    return read(
        f'<tt xmlns="http://www.w3.org/ns/ttml" xmlns:tts="http://www.w3.org/ns/ttml#styling"'
        f' xmlns:ttp="http://www.w3.org/ns/ttml#parameter" {head}><head>{metadata}<layout/></head>'
        f"<body><div>{body}</div></body></tt>",
        "film.ttml",
    )


def told(document: CaptionDocument, start: Timecode | None = None, rate: Fraction = RATE) -> list[tuple[str, str]]:
    """Return what is wrong with captions of a programme of a minute, as characteristic and sentence."""
    programme = Programme(rate=rate, frames=round(60 * rate), start=start)
    held = hold_captions(Captioned(documents=(document,)), programme)
    return [(id_, one.says) for id_, found in held.items() for one in found.sentences if one.fault]


def shown(document: CaptionDocument) -> list[tuple[float, float, tuple[str, ...]]]:
    return [(float(one.start), float(one.end), one.lines) for one in document.captions]


class XmlTest(TestCase):
    def test_spaces_of_the_layout_of_the_file_are_no_text(self) -> None:
        body = '<p begin="1s" end="3s">Hello\n      <span> world</span> \n <br/> \n and <span> you</span>\n</p>'
        self.assertEqual(shown(ttml(body)), [(1, 3, ("Hello world", "and you"))])
        kept = ttml('<p begin="1s" end="3s" xml:space="preserve">Hello  you</p>')
        self.assertEqual(shown(kept), [(1, 3, ("Hello  you",))])

    def test_spans_that_take_turns_are_captions_and_their_paragraph_is_none(self) -> None:
        document = ttml(
            '<p begin="1s" end="9s"><span begin="0s" end="2s">The lamps</span><span begin="2s" end="4s">go out</span></p>'
        )
        self.assertEqual(shown(document), [(1, 3, ("The lamps",)), (3, 5, ("go out",))])
        self.assertEqual(told(document), [])

    def test_spans_that_add_up_are_one_text_that_grows(self) -> None:
        document = ttml(
            '<p><span begin="1s" end="5s">The lamps</span><br/><span begin="2s" end="5s">go out</span></p>'
            '<p begin="6s" end="9s">One <span begin="1s">by one</span></p>'
        )
        self.assertEqual(
            shown(document),
            [
                (1, 2, ("The lamps",)), (2, 5, ("The lamps", "go out")),
                (6, 7, ("One",)), (7, 9, ("One by one",)),
            ],
        )  # fmt: skip
        self.assertEqual([one.kept for one in document.captions], [0, 1, 0, 0])
        self.assertEqual(told(document), [])
        endless = ttml('<p><span begin="1s">The lamps</span></p>')
        self.assertEqual([one.stays for one in endless.captions], [True])
        self.assertIn("no end", told(endless)[0][1])

    def test_a_paragraph_of_very_many_spans_is_refused_at_once(self) -> None:
        spans = "".join(f'<span begin="{number}s" end="{number + 1}s">a</span>' for number in range(20_000))
        with self.assertRaisesRegex(CaptionsRefused, "line 1: a paragraph of 20000 parts"):
            ttml(f"<p>{spans}</p>")

    def test_the_reading_of_signs_is_no_text_of_the_line(self) -> None:
        document = ttml(
            '<p begin="1s" end="5s"><span tts:ruby="container"><span tts:ruby="base">漢字</span>'
            '<span tts:ruby="text">かんじ</span></span>です</p>'
        )
        self.assertEqual(document.captions[0].lines, ("漢字です",))

    def test_labels_count_from_the_start_that_the_document_names(self) -> None:
        said = '<metadata xmlns:m="urn:ebu:tt:metadata"><m:documentStartOfProgramme>10:00:00:00' \
            "</m:documentStartOfProgramme></metadata>"  # fmt: skip
        smpte = 'ttp:timeBase="smpte" ttp:frameRate="25"'
        for body in (
            '<p begin="10:00:01:00" end="10:00:03:00">Hello</p>',
            '<p begin="10:00:01" end="10:00:03">Hello</p>',
        ):
            for start, metadata in ((None, said), (START, ""), (START, said)):
                document = ttml(body, smpte, metadata)
                programme = Programme(rate=RATE, frames=1500, start=start)
                self.assertEqual([(one.start, one.end) for one in place(document, programme)], [(25, 75)])
                self.assertEqual(told(document, start), [])
        self.assertIn("text.out_of_range", dict(told(ttml(body, smpte))))


class PlacesTest(TestCase):
    def test_captions_of_one_place_flicker_wherever_it_is(self) -> None:
        def cues(second: str, first: str = "line:85%") -> str:
            return (
                f"WEBVTT\n\n00:01.000 --> 00:03.000 {first}\nOne here\n\n00:03.040 --> 00:05.000 {second}\nTwo here\n"
            )

        self.assertEqual([id_ for id_, _ in told(read(cues("line:85%"), "f.vtt"))], ["text.gap"])
        self.assertEqual([id_ for id_, _ in told(read(cues("line:85% position:50%"), "f.vtt"))], ["text.gap"])
        self.assertEqual(told(read(cues("line:10%"), "f.vtt")), [])  # another place: nothing flickers
        self.assertEqual(told(read(cues("line:85%").replace("03.040", "03.080"), "f.vtt")), [])
        body = '<p begin="1s" end="3s" region="low">One here</p><p begin="3.04s" end="5s" region="{}">Two here</p>'
        self.assertEqual([id_ for id_, _ in told(ttml(body.format("low")))], ["text.gap"])
        self.assertEqual(told(ttml(body.format("high"))), [])

    def test_regions_at_one_place_are_one_place(self) -> None:
        def document(second: str, start: str = "3.04s") -> CaptionDocument:
            return ttml(
                f'<p begin="1s" end="3s" region="r1">One here</p><p begin="{start}" end="5s" region="r2">Two here</p>',
                metadata=f"""<layout><region xml:id="r1" tts:origin="10% 80%" tts:extent="80% 15%"/>
                <region xml:id="r2"><style {second}/></region></layout>""",
            )

        low, high = 'tts:origin="10% 80%" tts:extent="80% 15%"', 'tts:origin="10% 10%" tts:extent="80% 15%"'
        self.assertEqual([id_ for id_, _ in told(document(low))], ["text.gap"])
        self.assertEqual([id_ for id_, _ in told(document(low, "2s"))], ["text.overlap"])
        for start in ("3.04s", "2s"):
            self.assertEqual(told(document(high, start)), [])
            self.assertEqual(told(document("", start)), [], "where it lies is not said")

    def test_the_middle_of_the_lowest_line_is_where_cues_stand_by_themselves(self) -> None:
        cues = "WEBVTT\n\n00:01.000 --> 00:03.500 line:-1 position:50%\nOne here\n\n00:03.000 --> 00:05.000\nTwo here\n"
        self.assertEqual([id_ for id_, _ in told(read(cues, "f.vtt"))], ["text.overlap"])

    def test_marks_of_direction_take_no_place(self) -> None:
        line = "\u202b" + "א" * 41 + "\u202c\u200f"
        self.assertEqual(told(subrip([(1, 5, line)])), [])
        self.assertIn("43 characters", told(subrip([(1, 5, f"{line}אב")]))[0][1])


class TimesTest(TestCase):
    def test_times_that_are_read_in_more_ways_than_one_are_told(self) -> None:
        text = "1\n{} --> 00:00:09,000\nThe lamps go out\n"
        for start, says in (
            ("00:00:61,000", "up to 59"),
            ("00:75:01,000", "up to 59"),
            ("00:00:01,5", "three digits"),
            ("00:00:01,05", "three digits"),
        ):
            said = [one.says for one in read(text.format(start), "f.srt").remarks]
            self.assertIn(says, said[0], start)
            self.assertIn(start, said[0])
        for start in ("00:00:01,000", "0:00:01.500", "00:00:08,999"):
            self.assertEqual(read(text.format(start), "f.srt").remarks, (), start)

    def test_captions_out_of_order_are_told_and_two_at_once_are_not(self) -> None:
        self.assertIn("begins 4.00 s before", told(subrip([(5, 7, "Later"), (1, 3, "Sooner")]))[0][1])
        self.assertEqual(told(subrip([(1, 3, "Below"), (1, 3, "{\\an8}Above")])), [])
        cues = "WEBVTT\n\n00:05.000 --> 00:07.000\nLater\n\n00:01.000 --> 00:03.000\nSooner\n"
        self.assertEqual([id_ for id_, _ in told(read(cues, "f.vtt"))], ["text.document"])

    def test_words_of_line_21_wait_until_the_line_is_free(self) -> None:
        def word(first: int, second: int) -> str:
            return "".join(f"{one | (0 if one.bit_count() % 2 else 0x80):02x}" for one in (first, second))

        def row(label: str, text: str) -> str:
            codes = [
                (0x14, 0x2E),
                (0x14, 0x20),
                (0x14, 0x70),
                *zip(*[iter(text.encode())] * 2, strict=True),
                (0x14, 0x2F),
            ]
            return f"{label}\t{' '.join(word(*one) for one in codes)}\n\n"

        def document(second: str) -> CaptionDocument:
            rows = row("00:00:01:00", "The lamps go out") + row(second, "one by one")
            return read(f"SCC V1.0\n\n{rows}00:00:04:00\t942c\n", "film.scc")

        rate = Fraction(30000, 1001)
        zero = Timecode.parse("00:00:00:00", rate)
        free = document("00:00:01:12")  # three codes, eight words, one code: twelve frames
        self.assertEqual([one.text for one in free.captions], ["The lamps go out", "one by one"])
        self.assertEqual([one for one in told(free, zero, rate) if one[0] == "text.document"], [])
        late = document("00:00:01:09")
        self.assertEqual([one.text for one in late.captions], ["The lamps go out", "one by one"])
        self.assertEqual(
            [says for id_, says in told(late, zero, rate) if id_ == "text.document"],
            ["Line 5: the words before it are still being sent at 00:00:01:09, one a frame: it comes 3 frames late."],
        )


class BinaryTest(TestCase):
    def stl(self, *texts: tuple[int, int, int, bytes], columns: tuple[int, bytes] | None = None) -> CaptionDocument:
        """Texts of 10:00:00 on: first second, row, number in a cumulative set, and the field; all end at ten."""
        data = bytearray(make_stl(*(((10, 0, second, 0), (10, 0, 10, 0), text) for second, _, _, text in texts)))
        for number, (_, row, cumulative, _) in enumerate(texts):
            data[1024 + 128 * number + 13], data[1024 + 128 * number + 4] = row, cumulative
        if columns:
            data[11:12], data[253:255] = columns
        return read_captions(bytes(data), "film.stl")

    def test_a_colour_stands_between_words(self) -> None:
        found = self.stl((1, 20, 0, b"\x0d\x0b\x0b- Yes.\x06- No.\x0a\x0a\x8a\x8a\x0d\x0b\x0bOff"))
        self.assertEqual(found.captions[0].lines, ("- Yes. - No.", "Off"))

    def test_a_set_that_adds_up_does_not_overlap_and_others_do(self) -> None:
        rows = [(1, 18, b"The lamps"), (3, 20, b"go out"), (5, 22, b"one by one")]
        added = self.stl(*((second, row, number, text) for number, (second, row, text) in enumerate(rows, 1)))
        self.assertEqual(told(added, START), [])
        alone = self.stl(*((second, row, 0, text) for second, row, text in rows))
        self.assertEqual({id_ for id_, _ in told(alone, START)}, {"text.overlap"})

    def test_the_upper_half_is_that_of_the_rows_that_the_file_has(self) -> None:
        for kind, rows, upper, lower in ((b"1", b"23", 5, 20), (b"0", b"99", 20, 85), (b"0", b"11", 2, 9)):
            found = self.stl((1, upper, 0, b"Above"), (1, lower, 0, b"Below"), columns=(kind, rows))
            self.assertEqual([one.region for one in found.captions], ["top", ""], rows)


class CharactersTest(TestCase):
    def told(self, text: str) -> list[str]:
        return [one.says for one in read(f"1\n00:00:01,000 --> 00:00:03,000\n{text}\n", "f.srt").remarks]

    def test_capitals_before_an_ellipsis_or_a_quotation_mark_are_right(self) -> None:
        for text in ("Il l’a aimé…»", "Spaß… L’ÉTÉ… MENÜ–", "« ÇA » À L’ÉTÉ”", "CAFÉ… CAFÉ…", "Ô’ Ñ” Ä…", "AMANHÃ…"):
            self.assertEqual(self.told(text), [], text)

    def test_text_that_was_read_twice_is_told_in_every_script(self) -> None:
        for text in ("aimé", "l’été", "cœur", "Größe – „das“", "Привет всем", "今日は元気ですか", "voilà ça"):
            twice = "".join(
                chr(code) if 0x80 <= code < 0xA0 else bytes([code]).decode("cp1252") for code in text.encode()
            )
            windows = "".join(bytes([code]).decode("cp1252", "ignore") or chr(code) for code in text.encode())
            self.assertTrue(self.told(twice) or self.told(windows), text)

    def test_wide_text_without_a_mark_is_read_whether_or_not_it_is_all_ascii(self) -> None:
        for code in ("utf-16-le", "utf-16-be"):
            for text in ("The lamps", "Los años"):
                found = read_captions(f"1\n00:00:01,000 --> 00:00:03,000\n{text}\n".encode(code), "f.srt")
                self.assertEqual((found.captions[0].lines, len(found.remarks)), ((text,), 1))

    def test_the_language_stands_before_the_extension(self) -> None:
        for name, language in (
            ("canal.en.srt", "en"), ("canal.EN.srt", "en"), ("canal.pt-BR.forced.srt", "pt-BR"), ("canal.v2.de.vtt", "de"),
            ("canal.en.sdh.srt", "en"), ("canal.en.hi.srt", "en"), ("canal.hi.srt", "hi"), ("canal.deu.mov.srt", "deu"),
            ("canal.mov.srt", ""), ("canal.v02.srt", ""), ("No.2.srt", ""), ("canal.No.srt", ""), ("canal.sdh.srt", ""),
            ("canal.mxf.srt", ""), ("canal.srt", ""), ("en.srt", ""), ("canal.uhd.srt", ""),
        ):  # fmt: skip
            self.assertEqual(language_in(name), language, name)
