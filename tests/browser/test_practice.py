"""Practice by keyboard: ten tasks of unlike kinds, what is kept of them, a threshold, a finding that is practised."""

import json
import re
from pathlib import Path

from playwright.sync_api import FilePayload, Locator, expect

from jorvik.core.practice.making import made
from jorvik.core.practice.marking import mark
from jorvik.core.practice.progress import Practice as Practised
from jorvik.core.practice.progress import with_marks
from jorvik.core.practice.task import Made
from tests.browser.driver import BrowserCase

_TASK = re.compile(r"^(.*), level (\d)$")
_KINDS = {
    "Read it": "read",
    "Hear it": "hear",
    "Work it out": "work_out",
    "Find it": "find",
    "Make it": "make",
    "Play it": "play",
}


class Practice(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.page.get_by_role("tab", name="Practice").press("Enter")
        self.view: Locator = self.page.get_by_role("group", name="Practice", exact=True)

    def named(self, kind: str, level: int, seed: int) -> Made:
        """Have a task that is named, by the way in which a page of the help asks for one."""
        title = next(title for title, name in _KINDS.items() if name == kind)
        self.view.get_by_role("button", name=re.compile(f"^{title}, level {level}")).focus()
        self.page.keyboard.press("Enter")
        task = self.view.get_by_role("region", name="Task")
        expect(task).to_contain_text(f"{title}, level {level}")
        # One of the same kind and level may have stood there before.
        expect(task).to_have_attribute("aria-busy", "false")
        return made(kind, level, seed)

    def answered(self, whole: Made) -> None:
        """Fill in what is right, by the keys."""
        for question in whole.task.questions:
            field = self.view.get_by_label(question.asks, exact=True)
            right = whole.answer.values[question.name]
            field.focus()
            if question.choices:
                field.select_option(str(right))
            else:
                self.page.keyboard.type(str(right))

    def hand_in(self) -> Locator:
        self.view.get_by_role("button", name="Hand it in").focus()
        self.page.keyboard.press("Enter")
        marks = self.view.get_by_role("region", name="Marks")
        expect(marks).to_be_visible()
        return marks

    def forget(self) -> None:
        """Begin as somebody who has practised nothing."""
        self.read_in("{}")

    def read_in(self, text: str) -> None:
        file: FilePayload = {"name": "p.json", "mimeType": "application/json", "buffer": text.encode()}
        self.view.get_by_label("Choose a practice file").set_input_files([file])
        expect(self.page.get_by_role("status")).to_contain_text("was read in")

    def test_ten_tasks_of_unlike_kinds_by_keyboard_and_what_is_kept(self) -> None:
        self.forget()
        for seed in (1, 2):
            for kind in ("read", "hear", "work_out"):
                whole = self.named(kind, 1, seed)
                self.answered(whole)
                expect(self.hand_in()).to_contain_text("Right: 100 %")
        # Two good ones have opened the next level.
        whole = self.named("read", 2, 1)
        self.answered(whole)
        expect(self.hand_in()).to_contain_text("Right: 100 %")
        self.find_it()
        self.make_it()
        self.play_it()
        self.page.reload()
        self.page.get_by_role("tab", name="Practice").click()
        standing = self.view.get_by_role("region", name="How far you are")
        expect(standing).to_contain_text("level 1: sure; 2 done, 100 % of late")
        expect(standing).to_contain_text("level 2: learning; 1 done")
        with self.page.expect_download() as download:
            self.view.get_by_role("button", name="Take it out").click()
        kept = json.loads(Path(download.value.path()).read_text())
        kinds = [one["kind"] for one in kept["attempts"]]
        self.assertEqual(len(kinds), 10)
        self.assertEqual(set(kinds), set(_KINDS.values()))

    def find_it(self) -> None:
        whole = self.named("find", 1, 1)
        self.view.get_by_role("button", name="Open the patch").press("Enter")
        self.put_right(whole)
        self.page.get_by_role("tab", name="Practice").press("Enter")
        self.answered(whole)
        marks = self.hand_in()
        expect(marks.get_by_role("row").filter(has_text="put right")).to_contain_text(
            "The rule finds nothing any more."
        )
        expect(marks).to_contain_text("Right: 100 %")

    def put_right(self, whole: Made) -> None:
        """Type into the sheet what the right patch has, source by source."""
        right, wrong = whole.answer.patch or {}, whole.task.patch or {}
        for module, was in zip(right["modules"], wrong["modules"], strict=True):
            for name, value in module.items():
                if was.get(name) != value:
                    self.page.get_by_role("button", name=re.compile(f"^Source {module['id']},?")).press("Enter")
                    words = name.removesuffix("_s").replace("_", " ")
                    self.type_into(f"{module['id']} {words}", f"{value} s" if name.endswith("_s") else str(value))
        for route, was in zip(right["routes"], wrong["routes"], strict=True):
            if route["amount"] != was["amount"]:
                self.page.get_by_role("button", name=re.compile(f"^Source {route['source']},?")).press("Enter")
                self.page.get_by_role("region", name=route["destination"].capitalize(), exact=True).get_by_role(
                    "button", name=route["source"], exact=True
                ).click()
                self.type_into("Amount of the route", str(route["amount"]))
        self.kept()

    def make_it(self) -> None:
        whole = self.named("make", 1, 1)
        self.view.get_by_role("button", name="Open the patch").press("Enter")
        self.put_right(whole)
        self.page.get_by_role("tab", name="Practice").press("Enter")
        expect(self.hand_in()).to_contain_text("No change more than there had to be.")

    def play_it(self) -> None:
        self.named("play", 1, 1)
        self.view.get_by_role("button", name="Count in").press("Enter")
        pad = self.view.get_by_role("button", name="Press and it rises, let go and it falls")
        expect(pad).to_be_enabled()
        pad.focus()
        expect(pad).to_contain_text(re.compile(r"\d\.\d s"))
        self.page.keyboard.down(" ")
        expect(pad).to_contain_text(re.compile(r"\b1\.\d s"))
        self.page.keyboard.up(" ")
        # The patch itself is played meanwhile, by the voice that is played live.
        self.page.wait_for_function("performance.getEntriesByName('jorvik:strike').length > 0")
        expect(self.view).to_contain_text("Played: hand it in, or play it again.")
        marks = self.hand_in()
        expect(marks.get_by_role("row").filter(has_text="stroke 1").first).to_be_visible()
        # What was played stands over the strokes, with what would have been right behind it.
        expect(self.view.get_by_role("figure").locator("path.behind")).to_have_count(1)

    def test_a_sound_to_be_reached_is_heard_and_one_that_is_seen_stands_beside_it(self) -> None:
        practice = Practised()
        for seed in (1, 2):
            whole = made("make", 1, seed)
            practice = with_marks(practice, "make", 1, seed, whole.task.about, mark(whole.task, whole.answer))
        self.read_in(json.dumps(practice.document()))
        self.named("make", 2, 1)
        task = self.view.get_by_role("region", name="Task")
        expect(task).to_contain_text("Make this patch sound like the other.")
        expect(task.get_by_role("button", name="Hear what it is to be")).to_be_enabled()
        # Its own curves are seen; the others are there once it is marked, whatever it is worth.
        curves = task.get_by_role("figure")
        expect(curves).to_have_count(2)
        expect(task.locator("path.behind")).to_have_count(0)
        task.get_by_role("button", name="One to be seen instead").press("Enter")
        expect(task).to_contain_text("Bring the curves of this patch onto those behind them.")
        expect(task.locator("path.behind")).to_have_count(2)
        task.get_by_role("button", name="Another", exact=True).press("Enter")
        expect(task).to_contain_text("Make this patch sound like the other.")
        self.named("make", 2, 1)
        expect(task).to_contain_text("Make this patch sound like the other.")
        task.get_by_role("button", name="Open the patch").press("Enter")
        expect(self.page.get_by_role("tab", name="Note")).to_have_attribute("aria-selected", "true")
        self.page.get_by_role("tab", name="Practice").press("Enter")
        marks = self.hand_in()
        expect(marks.get_by_role("row").filter(has_text="tone")).to_be_visible()
        expect(task.locator("path.behind")).to_have_count(2)

    def test_nearly_right_is_told_from_right_with_the_reason(self) -> None:
        self.forget()
        whole = self.named("read", 1, 1)
        values = {name: float(value) for name, value in whole.answer.values.items()}
        self.answered(whole)
        attack = self.view.get_by_label("How long is the attack?", exact=True)
        attack.fill(f"{1000 * values['attack'] * 1.2:.2f}ms")
        marks = self.hand_in()
        row = marks.get_by_role("row").filter(has_text="attack").first
        expect(row).to_contain_text("more than it is: 2")
        expect(marks).to_contain_text("Nearly right")
        expect(marks).to_contain_text("that is the attack")
        expect(marks.get_by_role("button", name="Next task")).to_be_focused()

    def test_a_finding_is_practised_from_the_sheet(self) -> None:
        self.page.get_by_role("tab", name="Note").click()
        self.open_demo("Cracked Latch")
        self.page.get_by_role("contentinfo").get_by_role("button", name=re.compile("more$|^All$")).click()
        self.page.get_by_role("dialog").get_by_role("button", name="Practise this").first.click()
        task = self.view.get_by_role("region", name="Task")
        expect(task).to_contain_text("Find it")
        task.get_by_text("More on this").click()
        expect(task).to_contain_text("click")

    def test_a_threshold_is_looked_for_pair_by_pair(self) -> None:
        self.view.get_by_role("button", name="level", exact=True).press("Enter")
        part = self.view.get_by_role("region", name="Threshold")
        expect(part).to_contain_text("Which is louder?")
        part.get_by_role("button", name="Hear the first").press("Enter")
        for count in range(3):
            if count:
                part.get_by_role("button", name="It is the first").press("Enter")
            else:
                self.page.keyboard.press("ArrowLeft")
            expect(part.get_by_role("status")).to_contain_text(
                "1 pair so far" if not count else f"{count + 1} pairs so far"
            )
            expect(part.get_by_role("button", name="It is the first")).to_be_visible()
        standing = self.view.get_by_role("region", name="How far you are")
        expect(standing).to_contain_text("dB so far")
        standing.get_by_role("button", name="Forget what is known of level").click()
        expect(standing).not_to_contain_text("dB so far")

    def test_a_file_that_is_none_is_refused_and_nothing_lost(self) -> None:
        for text, said in (("{", "no JSON"), ('{"attempts": [{"kind": "smell"}]}', "attempts")):
            file: FilePayload = {"name": "bad.json", "mimeType": "application/json", "buffer": text.encode()}
            self.view.get_by_label("Choose a practice file").set_input_files([file])
            expect(self.page.get_by_role("alert").last).to_contain_text(said)
