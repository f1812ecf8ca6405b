"""``python -m datorum.cli``."""

from datorum.cli.main import main

main()
