"""What the command line does with whole documents."""

import argparse
import json
from dataclasses import asdict


def diff(args: argparse.Namespace) -> None:
    """Print how one document differs from another, and of patches what that comes to."""
    from jorvik.commands import read_document_file
    from jorvik.core.changes.documents import changes
    from jorvik.core.changes.figures import figure_changes
    from jorvik.core.document.patch import check_patch, read_document

    before, after = (read_document(read_document_file(path)) for path in (args.before, args.after))
    told = changes(before, after)
    is_patch = after.get("format") == "jorvik-patch"
    figures = figure_changes(check_patch(before), check_patch(after)) if is_patch and told else []
    if args.json:
        found = {"changes": [asdict(one) for one in told], "figures": [asdict(one) for one in figures]}
        print(json.dumps(found, indent=2, ensure_ascii=False))
        return
    sentences = [one.sentence for one in told] + [one.sentence for one in figures]
    print("\n".join(sentences) or "The two say the same.")
