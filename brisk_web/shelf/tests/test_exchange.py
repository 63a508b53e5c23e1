import csv
import io
import zipfile

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase
from django.urls import reverse

from brisk_core.spec import parse_spec, shelf_texts
from brisk_web.accounts.roles import LEAD
from brisk_web.house.models import AuditEntry
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.shelf.models import Draft, HouseWords, Spec, SpecVersion
from brisk_web.shelf.services import house_words, publish_shelf
from brisk_web.testing import SPEC, HouseMixin, spec_version


def upload(name: str, text: str | bytes) -> SimpleUploadedFile:
    return SimpleUploadedFile(name, text.encode() if isinstance(text, str) else text)


class ExchangeTest(HouseMixin, TestCase):
    def setUp(self) -> None:
        super().setUp()
        self.sign_in(LEAD)

    def test_all_specs_go_out_and_come_in_again(self) -> None:
        publish_shelf()
        answer = self.client.get(reverse("specs-archive"))
        with zipfile.ZipFile(io.BytesIO(answer.content)) as archive:
            texts = {name: archive.read(name).decode() for name in archive.namelist()}
        self.assertEqual(set(texts), {f"{id_}.yaml" for id_ in shelf_texts()})
        count = SpecVersion.objects.count()
        files = [upload(name, text) for name, text in texts.items()]
        page = self.client.post(reverse("bring-in-specs"), {"specs": files}, follow=True)
        self.assertContains(page, f"Published {len(files)} specs.")
        self.assertEqual(SpecVersion.objects.count(), count)  # the same documents again change nothing
        for name, text in texts.items():
            self.assertEqual(parse_spec(text).lines, parse_spec(shelf_texts()[name.removesuffix(".yaml")]).lines)

    def test_a_mistake_in_one_file_publishes_none(self) -> None:
        files = [
            upload("a.yaml", SPEC),
            upload("b.yaml", SPEC.replace("picture.codec", "picture.kodec")),
            upload("c.yaml", b"\xff\xfe"),
        ]
        page = self.client.post(reverse("bring-in-specs"), {"specs": files})
        self.assertContains(page, "Nothing was published: 2 files", status_code=422)
        self.assertContains(page, "picture.kodec", status_code=422)
        self.assertContains(page, "not text in UTF-8", status_code=422)
        self.assertEqual(SpecVersion.objects.count(), 0)
        self.assertContains(self.client.post(reverse("bring-in-specs")), "Choose 1 to 200 files", status_code=422)

    def test_an_id_that_is_no_text_is_told(self) -> None:
        for id_ in ("[small]", "{small: 1}", "7", ""):
            text = SPEC.replace("id: small", f"id: {id_}", 1)
            page = self.client.post(
                reverse("bring-in-specs"), {"specs": [upload("a.yaml", text), upload("b.yaml", SPEC)]}
            )
            self.assertContains(page, "Nothing was published", status_code=422)

    def test_what_others_extend_is_published_before_them(self) -> None:
        def extending(id_: str, base: str) -> str:
            head = f"brisk_spec: 1\nid: {id_}\nname: {id_}\nfamily: web\nsource: house\nissued: 2026-01-01\n"
            return f"{head}extends: {base}\nlines: []\n"

        files = [upload("1.yaml", extending("third", "second")), upload("2.yaml", extending("second", "small"))]
        self.client.post(reverse("bring-in-specs"), {"specs": [*files, upload("3.yaml", SPEC)]})
        self.assertEqual(list(SpecVersion.objects.order_by("pk").values_list("spec__slug", flat=True)),
                         ["small", "second", "third"])  # fmt: skip
        circle = [upload("1.yaml", extending("one", "other")), upload("2.yaml", extending("other", "one"))]
        page = self.client.post(reverse("bring-in-specs"), {"specs": circle})
        self.assertContains(page, "Nothing was published", status_code=422)

    def test_lines_as_a_table_that_works_nothing_out(self) -> None:
        spec_version(
            SPEC.replace(
                "lines:",
                "lines:\n  - {id: sum, label: '=1+1', characteristic: picture.chroma, condition: {equals: '4:2:0'}}",
            )
        )
        answer = self.client.get(reverse("spec-lines-table"))
        rows = list(csv.DictReader(io.StringIO(answer.content.decode(), newline="")))
        self.assertEqual(len(rows), len(parse_spec(SPEC).lines) + 1)
        self.assertEqual((rows[0]["label"], rows[0]["condition"]), ("'=1+1", '{"equals": "4:2:0"}'))

    def test_a_copy_has_a_name_of_its_own(self) -> None:
        spec_version()
        page = self.client.get(reverse("new-spec"), {"copy": "small"})
        self.assertContains(page, "id: small-copy")
        self.assertContains(page, "name: Small spec, copy")
        page = self.client.post(reverse("new-spec"), {"document": page.context["text"], "publish": ""}, follow=True)
        self.assertContains(page, "Published Small spec, copy, version 1")
        self.assertEqual(set(Spec.objects.values_list("slug", flat=True)), {"small", "small-copy"})

    def test_deliverables_are_moved_to_the_newest_version_in_one_step(self) -> None:
        older = spec_version()
        job = Job.objects.create(title="Canal")
        for name in ("Wide", "Tall"):
            Deliverable.objects.create(job=job, name=name, spec_version=older)
        newest = spec_version(SPEC.replace("equals: true", "equals: false"))
        self.assertContains(
            self.client.get(reverse("spec", args=["small"])), "2 deliverables are still owed by an older version"
        )
        page = self.client.post(reverse("move-deliverables", args=["small"]), follow=True)
        self.assertContains(page, "2 deliverables moved to")
        self.assertNotContains(page, "still owed by an older version")
        self.assertEqual({one.spec_version for one in Deliverable.objects.all()}, {newest})
        self.assertEqual(AuditEntry.objects.filter(verb="deliverable.changed").count(), 2)


class WordsTest(HouseMixin, TestCase):
    def setUp(self) -> None:
        super().setUp()
        self.sign_in(LEAD)
        self.version = spec_version()

    def say(self, **asked: str) -> object:
        return self.client.post(reverse("house-words"), {"characteristic": "picture.codec", **asked}, follow=True)

    def test_the_house_says_why_where_a_spec_does_not(self) -> None:
        self.assertContains(self.say(why="The lock keeper's player.", remedy="Choose {required}."), "The lock keeper")  # type: ignore[arg-type]
        sheet = self.client.get(reverse("spec", args=["small"]))
        self.assertContains(sheet, "The lock keeper&#x27;s player.")
        self.assertContains(sheet, "Choose avc.")
        line = next(one for one in self.version.parsed().lines if one.characteristic.id == "picture.codec")
        self.assertNotIn("lock keeper", line.why_told)  # the spec itself is as it was
        own = SPEC.replace("characteristic: picture.codec,", "characteristic: picture.codec, why: Ours.,")
        if own != SPEC:
            spec_version(own)
            self.assertContains(self.client.get(reverse("spec", args=["small"])), "Ours.")
        self.say()
        self.assertEqual(HouseWords.objects.count(), 0)
        self.assertEqual(AuditEntry.objects.filter(verb__startswith="words.").count(), 2)

    def test_a_finding_is_told_in_them(self) -> None:
        self.say(why="The lock keeper's player.")
        told = self.version.parsed().in_words_of(house_words())
        line = next(one for one in told.lines if one.characteristic.id == "picture.codec")
        self.assertEqual(line.why_told, "The lock keeper's player.")
        self.assertIn("avc", line.remedy_told)  # what is left empty is as it ships

    def test_bad_words(self) -> None:
        for asked, says in (
            ({"remedy": "Set {this}"}, "expected no braces"),
            ({"remedy": "Set {0.x}"}, "expected no braces"),
            ({"characteristic": "gone", "why": "x"}, "expected a characteristic"),
        ):
            self.assertContains(self.say(**asked), says, status_code=422)  # type: ignore[arg-type]
        self.assertEqual(HouseWords.objects.count(), 0)


class ExtendsTest(HouseMixin, TestCase):
    TEXT = """
brisk_spec: 1
id: wide
name: Wide
family: web
source: a test
issued: 2026-03-02
extends: small
without: [WITHOUT]
lines:
  - {id: depth, characteristic: picture.bit_depth, condition: {equals: 8}}
"""

    def setUp(self) -> None:
        super().setUp()
        self.sign_in(LEAD)
        self.base = spec_version()
        self.left = parse_spec(SPEC).lines[0].id
        self.text = self.TEXT.replace("WITHOUT", self.left)

    def publish(self, text: str) -> SpecVersion:
        self.client.post(reverse("new-spec"), {"document": text, "publish": ""})
        return SpecVersion.objects.get(spec__slug="wide", number=1)

    def test_a_variant_keeps_the_version_that_it_was_published_with(self) -> None:
        variant = self.publish(self.text)
        wanted = [line.id for line in parse_spec(SPEC).lines[1:]] + ["depth"]
        self.assertEqual([line.id for line in variant.parsed().lines], wanted)
        self.assertEqual((variant.base, variant.line_count), (self.base, len(wanted)))
        newer = spec_version(SPEC.replace("equals: true", "equals: false"))
        self.assertNotEqual(newer, self.base)
        again = SpecVersion.objects.get(pk=variant.pk)
        self.assertEqual(again.parsed().lines, variant.parsed().lines)
        sheet = self.client.get(reverse("spec", args=["wide"]))
        self.assertContains(sheet, "There is a newer version of that one")
        for words in ("from the base", "only here", f"without {self.left}"):
            self.assertContains(sheet, words)
        self.client.post(reverse("change-spec", args=["wide"]), {"document": self.text, "publish": ""})
        self.assertEqual(SpecVersion.objects.get(spec__slug="wide", number=2).base, newer)
        self.assertNotContains(self.client.get(reverse("spec", args=["wide"])), "There is a newer version of that one")

    def test_a_variant_comes_in_with_what_it_extends(self) -> None:
        base = SPEC.replace("id: small", "id: ground")
        files = [upload("a.yaml", self.text.replace("extends: small", "extends: ground")), upload("b.yaml", base)]
        self.assertContains(
            self.client.post(reverse("bring-in-specs"), {"specs": files}, follow=True), "Published 2 specs"
        )
        self.assertEqual(SpecVersion.objects.get(spec__slug="wide").base, SpecVersion.objects.get(spec__slug="ground"))

    def test_rows_show_what_is_taken_over(self) -> None:
        asked = {"text": self.text}
        found = self.client.post(reverse("spec-rows"), asked, content_type="application/json").json()
        self.assertEqual([one["id"] for one in found["inherited"]], [line.id for line in parse_spec(SPEC).lines])
        changed = {**found["document"], "without": [], "lines": [one["line"] for one in found["inherited"]]}
        again = self.client.post(reverse("spec-rows"), {"document": changed}, content_type="application/json").json()
        self.assertEqual(again["mistakes"], [])
        self.assertEqual(len(again["required"]), len(found["inherited"]))

    def test_what_is_not_on_the_shelf_cannot_be_extended(self) -> None:
        page = self.client.post(
            reverse("new-spec"), {"document": self.text.replace("extends: small", "extends: gone"), "publish": ""}
        )
        self.assertContains(page, "which is not at hand", status_code=422)


class RowsTest(HouseMixin, TestCase):
    def setUp(self) -> None:
        super().setUp()
        self.sign_in(LEAD)

    def read(self, **asked: object) -> dict[str, object]:
        answer = self.client.post(reverse("spec-rows"), asked, content_type="application/json")
        return answer.json()  # type: ignore[no-any-return]

    def test_text_and_document_are_one(self) -> None:
        found = self.read(text=SPEC)
        self.assertEqual((found["mistakes"], len(found["required"])), ([], len(parse_spec(SPEC).lines)))  # type: ignore[arg-type]
        again = self.read(document=found["document"])
        self.assertEqual(again["document"], found["document"])
        self.assertEqual(parse_spec(str(again["text"])), parse_spec(SPEC))

    def test_mistakes_say_their_lines(self) -> None:
        found = self.read(text=SPEC.replace("picture.codec", "picture.kodec").replace("family: web", "family: tape"))
        lines = {one["line"]: one["says"] for one in found["mistakes"]}  # type: ignore[attr-defined]
        self.assertEqual(
            set(lines), {None, [line.characteristic.id for line in parse_spec(SPEC).lines].index("picture.codec")}
        )
        broken = self.read(text="a: [")
        self.assertIsNone(broken["document"])
        self.assertEqual(len(broken["mistakes"]), 1)  # type: ignore[arg-type]

    def test_a_half_written_day_loses_nothing(self) -> None:
        found = self.read(document={"brisk_spec": 1, "issued": "2026-", "lines": []})
        self.assertIn("issued: 2026-", str(found["text"]))

    def test_drafts_are_a_person_s_own(self) -> None:
        spec_version()
        self.read(text=SPEC.replace("Small", "Tiny"), keep=True, slug="small")
        self.assertContains(self.client.get(reverse("change-spec", args=["small"])), "This is your draft")
        self.assertEqual(Draft.objects.get().slug, "small")
        self.client.post(reverse("forget-draft"), {"slug": "small"})
        self.assertNotContains(self.client.get(reverse("change-spec", args=["small"])), "This is your draft")

    def test_bad_input(self) -> None:
        for body in (
            "",
            "[]",
            "{}",
            '{"text": 3}',
            "[" * 5000,
            '{"document": {"a": 1}, "slug": "\\u0000", "keep": true}',
        ):
            answer = self.client.post(reverse("spec-rows"), body, content_type="application/json")
            self.assertIn(answer.status_code, (200, 400), body[:20])
