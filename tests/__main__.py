"""``python -m tests``: kept this small because processes that compute import it again."""

import sys

if __name__ == "__main__":
    # Before anything of the core is imported, so that what its files say at their top counts too.
    watch = None
    if not sys.argv[1:]:
        from coverage import Coverage

        watch = Coverage(data_file=None)
        watch.start()
    from tests.runner import main

    sys.exit(main(sys.argv[1:], watch))
