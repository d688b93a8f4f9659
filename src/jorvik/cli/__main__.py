"""Run the command line: ``python -m jorvik.cli``."""

import sys

from jorvik.cli.main import main

if __name__ == "__main__":
    sys.exit(main())
