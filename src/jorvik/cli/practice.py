"""The commands that make a task and mark an answer."""

import argparse
import json

from jorvik.cli.commands import read_document_file
from jorvik.core.document.patch import read_document
from jorvik.core.practice.making import made
from jorvik.core.practice.marking import check_answer, check_task, mark


def practice_make(args: argparse.Namespace) -> None:
    """Print a task, and its answer where that is asked for."""
    whole = made(args.kind, args.level, args.seed)
    task = whole.task.model_dump(mode="json")
    answer = whole.answer.model_dump(mode="json", exclude_defaults=True)
    if args.json:
        told = {"task": task, "answer": answer, "worked": whole.worked} if args.answer else task
        print(json.dumps(told, indent=2, ensure_ascii=False))
        return
    print(whole.task.asks)
    for question in whole.task.questions:
        print(f"  {question.name}: {question.asks} {' / '.join(question.choices) or question.unit}")
    if args.answer:
        print(*whole.worked, sep="\n")


def practice_mark(args: argparse.Namespace) -> None:
    """Print what an answer is worth, part by part."""
    task = check_task(read_document(read_document_file(args.task)))
    given = read_document(read_document_file(args.given))
    marked = mark(task, check_answer(given.get("answer", given)))
    if args.json:
        print(json.dumps(marked.model_dump(mode="json"), indent=2, ensure_ascii=False))
        return
    print(f"{marked.verdict}: {100 * marked.marks:.0f} %")
    for part in marked.parts:
        print(f"  {part.name}: {part.verdict}; {part.given or 'nothing'}, wanted {part.wanted}. {part.why}")
    print(*marked.worked, sep="\n")
