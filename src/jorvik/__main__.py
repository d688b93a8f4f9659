"""``python -m jorvik``: kept this small because processes that compute import it again."""

import sys

if __name__ == "__main__":
    if sys.argv[1:] == ["serve"]:
        from jorvik.serve import main as serve

        sys.exit(serve())
    from jorvik.launch import main

    sys.exit(main())
