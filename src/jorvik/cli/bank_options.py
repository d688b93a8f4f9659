"""What ``jv bank`` can be told. Light: help comes at once."""

import argparse
import os
from pathlib import Path
from typing import Final

from jorvik.bank.works import WORK_NAMES
from jorvik.core.limits import DEFAULT_RATE

TLS_FILES: Final = {
    "ca": "the certificate of the authority",
    "cert": "the certificate of this client",
    "key": "the key of that certificate",
}
"""Options for the certificates of a cluster, each with its meaning."""


def add_options(parser: argparse.ArgumentParser) -> None:
    """Add what the command can be told."""
    parser.set_defaults(module="jorvik.cli.bank", run="bank")
    parser.add_argument("work", choices=WORK_NAMES, help="what is done with each patch")
    parser.add_argument("bank", type=Path, metavar="BANK", help="a folder, a zip, or a patch file")
    parser.add_argument("--out", type=Path, required=True, metavar="DIR", help="where all goes; go on with it there")
    for name, what in (
        ("keys", "as C2,C3,C4"),
        ("velocities", "as 40,80,118"),
        ("lengths", "how long notes are held, as 0.5s,2s"),
        ("seeds", "as 1,2,3"),
    ):
        parser.add_argument(f"--{name}", help=f"{what}; left out, the patch's own")
    parser.add_argument("--phrase", type=Path, action="append", default=[], help="play under it; may be said again")
    parser.add_argument("--rate", default=str(DEFAULT_RATE), help="samples a second")
    parser.add_argument("--depth", choices=("16", "24", "32f"), default="24")
    parser.add_argument("--of", default="cutoff", help="sweep: what is swept, as cutoff, swell.attack_s, macro:warm")
    parser.add_argument("--steps", type=int, default=24, help="sweep: how many values")
    parser.add_argument("--card", type=Path, metavar="CARD.json", help="card, sheet: the machine")
    parser.add_argument("--ending", choices=("pdf", "html", "svg"), default="pdf", help="sheet: what it is written as")
    parser.add_argument("--paper", choices=("A4", "Letter"), default="A4", help="sheet")
    parser.add_argument("--silence", type=float, default=-80.0, metavar="DB", help="samples: what is trimmed away")
    parser.add_argument("--no-loops", action="store_true", help="samples: none is looped")
    parser.add_argument("--round-robin", type=int, default=1, metavar="N", help="samples: of so many seeds each")
    parser.add_argument("--matched", action="store_true", help="samples: all at one loudness")
    parser.add_argument("--name", metavar="PATTERN", help="samples: as '{patch}-{key}-v{velocity}{round}'")
    parser.add_argument("--lufs", type=float, help="measure, render: the gain to so loud is told")
    parser.add_argument("--write-gains", type=Path, metavar="FILE.zip", help="and the patches with it, as a bank")
    parser.add_argument("--workers", type=int, default=os.cpu_count() or 1, help="how many processes")
    parser.add_argument("--scheduler", metavar="tls://…", help="a cluster that runs, instead of processes here")
    for name, what in TLS_FILES.items():
        parser.add_argument(f"--tls-{name}", type=Path, metavar="FILE.pem", help=f"--scheduler tls://…: {what}")
    parser.add_argument("--insecure", action="store_true", help="--scheduler tcp://…: anyone there may run code here")
    parser.add_argument("--from-workers", action="store_true", help="workers write the files; they reach DIR too")
    parser.add_argument("--seconds", type=float, default=600.0, help="what a piece may take")
    parser.add_argument("--memory", type=float, default=1500.0, metavar="MB", help="what a worker may take")
    parser.add_argument("--against", type=Path, metavar="DIR", help="an earlier run: what moved since, exit code 1")
    parser.add_argument("--tolerance", type=float, default=1.0, help="times the usual one, for --against")
    parser.add_argument("--plan", action="store_true", help="say what would be done, and end")
    # For the server, which has settings from a form, and ends it by ending itself.
    parser.add_argument("--settings", type=Path, help=argparse.SUPPRESS)
    parser.add_argument("--progress", choices=("auto", "json"), default="auto", help=argparse.SUPPRESS)
