"""Speed, as ratios against a stated rival in the same run: ``.venv/bin/python -m benchmarks``."""
