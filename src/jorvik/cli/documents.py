"""What the command line does with whole documents."""

import argparse
import json
from dataclasses import asdict
from pathlib import Path


def diff(args: argparse.Namespace) -> None:
    """Print how one document differs from another, and of patches what that comes to."""
    from jorvik.cli.commands import read_document_file
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


def print_sheet(args: argparse.Namespace) -> None:
    """Write the sheet of a patch, of a patch under a phrase, of a take, or of a phrase alone."""
    from jorvik.cli.commands import read_document_file
    from jorvik.core.document.card import check_card
    from jorvik.core.document.patch import check_patch, parsed_json, read_document
    from jorvik.core.document.phrase import check_phrase
    from jorvik.core.document.take import check_take
    from jorvik.core.phrases.takes import performed
    from jorvik.core.problems import Problem
    from jorvik.formats.print_phrase import phrase_svg, printed_phrase
    from jorvik.formats.printed import card_part, printed_html, printed_svg

    ending = args.out.suffix.lower()
    if ending not in (".pdf", ".svg", ".html"):
        raise Problem("--out", f'"{args.out}"', "a file that ends in .pdf, .svg or .html")
    document = read_document(read_document_file(args.patch))
    if document.get("format") == "jorvik-phrase":
        phrase = check_phrase(document)
        _write_page(args.out, phrase_svg(phrase) if ending == ".svg" else printed_phrase(phrase, args.paper))
        return
    if document.get("format") == "jorvik-take":
        patch, _ = performed(check_take(document))
    else:
        patch = check_patch(document)
    if args.phrase is not None:
        patch = patch.under(check_phrase(parsed_json(read_document_file(args.phrase))))
    if ending == ".svg":
        _write_page(args.out, printed_svg(patch, args.units))
        return
    more = [card_part(patch, check_card(read_document(read_document_file(args.card))))] if args.card else []
    _write_page(args.out, printed_html(patch, args.units, args.paper, more))


def _write_page(out: Path, page: str) -> None:
    from jorvik.formats.pdf import pdf_bytes

    if out.suffix.lower() == ".pdf":
        out.write_bytes(pdf_bytes(page))
    else:
        out.write_text(page, encoding="utf-8")


def card(args: argparse.Namespace) -> None:
    """Print where each control of a machine is to stand for a patch, and what of it cannot be had."""
    from jorvik.cli.commands import read_document_file
    from jorvik.core.document.card import check_card
    from jorvik.core.document.patch import parse_patch, read_document
    from jorvik.core.machine.on_card import on_card
    from jorvik.core.problems import Problem

    given = {}
    for said in args.give:
        module, equals, source = said.partition("=")
        if not equals:
            raise Problem("--give", f'"{said}"', "a source of the patch and one of the machine, as swell=LFO")
        given[module.strip()] = source.strip().strip("'\"")
    patch = parse_patch(read_document_file(args.patch))
    found = on_card(patch, check_card(read_document(read_document_file(args.card))), given)
    if args.json:
        rows = [
            {
                "control": row.control,
                "wanted": row.wanted_value,
                "panel": row.panel,
                "nearest": row.nearest,
                "error": row.error,
                "error_unit": row.error_unit,
            }
            for row in found.rows
        ]
        told = {"controls": rows, "cannot": found.cannot, "assigned": found.assigned}
        print(json.dumps(told, indent=2, ensure_ascii=False))
        return
    for row in found.rows:
        print(f"{row.control:20} {row.nearest:>14}   {row.wanted}, {row.error_text or 'as it is'}")
    print("\n".join(["", *found.cannot]) if found.cannot else "")
