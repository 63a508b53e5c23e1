"""The catalogue of texts: nothing is said twice, and every characteristic has a definition and a reason of its own."""

import ast
from collections import Counter
from pathlib import Path
from unittest import TestCase

import brisk_core.spec
from brisk_core.facts import REGISTRY
from brisk_core.spec.reasons import reason_for

_MODULES = ("reasons", "rules", "content_rules", "against", "captioned", "integrity")
_LEAST = 24  # letters; shorter texts are words, not sentences


def sentences_of(module: str) -> list[str]:
    """Every text of a module that a person may read."""
    tree = ast.parse((Path(brisk_core.spec.__file__).parent / f"{module}.py").read_text(encoding="utf-8"))
    described = {
        id(node.body[0].value)
        for node in ast.walk(tree)
        if isinstance(node, ast.Module | ast.FunctionDef | ast.ClassDef) and isinstance(node.body[0], ast.Expr)
    }
    return [
        node.value
        for node in ast.walk(tree)
        if isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in described
        if len(node.value) >= _LEAST and " " in node.value
    ]


class TextsTest(TestCase):
    def test_nothing_is_said_twice(self) -> None:
        met = Counter(text for module in _MODULES for text in sentences_of(module))
        self.assertGreater(len(met), 200)
        self.assertEqual([text for text, times in met.items() if times > 1], [])

    def test_every_characteristic_says_what_it_is(self) -> None:
        for characteristic in REGISTRY.values():
            self.assertTrue(characteristic.label, characteristic.id)
            self.assertGreater(len(characteristic.definition), 10, characteristic.id)
            self.assertTrue(reason_for(characteristic).why, characteristic.id)
            self.assertTrue(reason_for(characteristic).remedy, characteristic.id)
