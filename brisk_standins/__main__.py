"""Runs one stand-in: ``python -m brisk_standins intake FOLDER``, ``deck CARD``, ``site HOME`` or ``player FOLDER``."""

from __future__ import annotations

import argparse
from pathlib import Path

from brisk_standins import deck, intake, player, site


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
    third = kinds.add_parser("site")
    third.add_argument("home", type=Path, help="folder of its files")
    third.add_argument("--port", type=int, required=True, help="of its page and its interface")
    third.add_argument("--token", default=site.TOKEN)
    fourth = kinds.add_parser("player")
    fourth.add_argument("folder", type=Path, help="of its discs")
    fourth.add_argument("--port", type=int, required=True, help="of its page and its keys")
    options = parser.parse_args()
    if options.kind == "intake":
        intake.run(options.folder, options.home, options.port)
    elif options.kind == "player":
        player.run(options.folder, options.port)
    elif options.kind == "site":
        site.run(options.home, options.port, options.token)
    else:
        deck.run(options.card, options.port, options.ftp, options.line, options.user, options.password)


if __name__ == "__main__":
    main()
