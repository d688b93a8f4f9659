"""``python -m tests``: kept this small because processes that compute import it again."""

import sys

if __name__ == "__main__":
    from tests.runner import main

    sys.exit(main(sys.argv[1:]))
