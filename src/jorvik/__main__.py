"""``python -m jorvik``: kept this small because processes that compute import it again."""

import sys

if __name__ == "__main__":
    if sys.argv[1:] == ["serve"]:
        from jorvik.web.forking import begin_forkserver

        # Before our own imports, which take as long as those of the process that workers are forked from.
        begin_forkserver()
        from jorvik.serve import main as serve

        sys.exit(serve())
    from jorvik.launch import main

    sys.exit(main())
