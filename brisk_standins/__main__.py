"""Runs one stand-in: ``python -m brisk_standins intake FOLDER`` or ``deck CARD``."""

from __future__ import annotations

import argparse
from pathlib import Path

from brisk_standins import deck, intake


def main() -> None:
    """Run the stand-in that the command line names."""
    parser = argparse.ArgumentParser(prog="brisk_standins", description=__doc__)
    kinds = parser.add_subparsers(dest="kind", required=True)
    one = kinds.add_parser("intake")
    one.add_argument("folder", type=Path, help="that is delivered into")
    one.add_argument("--home", type=Path, required=True, help="folder of its key")
    one.add_argument("--port", type=int, required=True, help="of its page")
    other = kinds.add_parser("deck")
    other.add_argument("card", type=Path, help="folder of its clips")
    other.add_argument("--port", type=int, required=True, help="of its page")
    other.add_argument("--ftp", type=int, required=True, help="port of its FTP server")
    other.add_argument("--line", type=int, required=True, help="port of its line protocol")
    other.add_argument("--user", default="deck")
    other.add_argument("--password", default="canal-lock")
    options = parser.parse_args()
    if options.kind == "intake":
        intake.run(options.folder, options.home, options.port)
    else:
        deck.run(options.card, options.port, options.ftp, options.line, options.user, options.password)


if __name__ == "__main__":
    main()
