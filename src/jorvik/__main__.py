"""``python -m jorvik``: kept this small because processes that compute import it again."""

import sys

if __name__ == "__main__":
    from jorvik.launch import main

    sys.exit(main())
