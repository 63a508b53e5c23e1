import tempfile
from pathlib import Path
from unittest import TestCase

from brisk_core.whole_file import written_whole


class WholeFileTest(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "series.npz"
        self.path.write_text("what stood there")

    def test_the_new_file_takes_its_place_only_when_it_is_whole(self) -> None:
        with written_whole(self.path) as unfinished:
            unfinished.write_text("new")
            self.assertEqual(self.path.read_text(), "what stood there")
            self.assertEqual(unfinished.suffix, ".npz")  # libraries that add it leave it alone
        self.assertEqual(self.path.read_text(), "new")
        self.assertEqual(list(self.path.parent.iterdir()), [self.path])

    def test_half_a_file_is_removed_and_the_previous_one_kept(self) -> None:
        with self.assertRaises(RuntimeError), written_whole(self.path) as unfinished:
            unfinished.write_text("half")
            raise RuntimeError
        self.assertEqual(self.path.read_text(), "what stood there")
        self.assertEqual(list(self.path.parent.iterdir()), [self.path])
