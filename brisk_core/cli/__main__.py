"""``python -m brisk_core.cli``."""

import sys

from brisk_core.cli import main

sys.exit(main())
