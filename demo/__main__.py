"""``python -m demo``: PostgreSQL, the demo data, the demo sites and Datorum, all started and all stopped together."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from datorum.core.errors import DatorumError
from demo.launch import Demo, Ports


def main() -> None:
    parser = argparse.ArgumentParser(prog="demo", description="Start the demo, or begin it anew.")
    parser.add_argument("--reset", action="store_true", help="remove all that the demo has kept")
    demo = Demo(Path(".datorum"), Ports.from_environment())
    try:
        if parser.parse_args().reset:
            demo.reset()
        else:
            demo.run()
    except DatorumError as error:
        print(f"demo: {error.sentence()}", file=sys.stderr)
        sys.exit(2)


main()
