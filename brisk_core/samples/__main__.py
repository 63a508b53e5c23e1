"""Builds the samples: ``python -m brisk_core.samples FOLDER`` prints where they lie."""

import sys
from pathlib import Path

from brisk_core.samples.build import build_samples

if __name__ == "__main__":
    print(build_samples(Path(sys.argv[1])))
