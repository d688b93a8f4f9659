"""A server that answers 400 ms late, windows that are copied or gone, a browser that lends nothing."""

import json
import random
import re
import unittest

from playwright.sync_api import Page, Route, expect

from jorvik.store.documents import DocumentStore
from jorvik.store.kinds import PATCHES
from tests.browser.driver import ELSEWHERE, SHEETS, STATUS, BrowserCase
from tests.support import Json, Served

LATE_S = 0.4


def document_of(page: Page) -> Json:
    script = "async () => (await (await fetch(`/api/patches/${location.hash.slice(1)}`)).json()).document"
    found: Json = page.evaluate(script)
    return found


class Late(BrowserCase):
    shares_a_server = False

    @classmethod
    def serve(cls) -> Served:
        return Served(late_s=lambda: LATE_S)

    def source(self, name: str) -> None:
        self.page.get_by_role("button", name=f"Source {name}").first.click()
        expect(self.page.get_by_label("Name of the source")).to_have_value(name)

    def module(self, name: str) -> Json:
        return next(m for m in document_of(self.page)["modules"] if m["id"] == name)

    def test_a_time_typed_for_one_envelope_does_not_land_on_another(self) -> None:
        before = self.module("lip")
        self.source("swell")
        self.type_into("swell attack", "333ms")
        self.source("lip")
        expect(self.status).to_have_text(re.compile("keeping"))
        self.kept()
        self.assertEqual(self.module("swell")["attack_s"], 0.333)
        self.assertEqual(self.module("lip"), before)

    def test_an_amount_typed_on_one_routes_page_does_not_land_on_anothers(self) -> None:
        stave = self.stave("Cutoff")
        stave.get_by_role("button", name="swell", exact=True).click()
        self.type_into("Amount of the route", "31st")
        stave.get_by_role("button", name="shake", exact=True).click()
        self.kept()
        amounts = {r["source"]: r["amount"] for r in document_of(self.page)["routes"] if r["destination"] == "cutoff"}
        self.assertEqual(amounts["swell"], 31)
        self.assertNotEqual(amounts["shake"], 31)

    def test_a_target_is_for_the_velocity_that_was_typed_just_before(self) -> None:
        self.page.get_by_role("button", name="Figures of cutoff", exact=True).click()
        self.type_into("Target at velocity", "40")
        self.page.get_by_label("Target for peak", exact=True).check()
        expect(self.page.get_by_label("Target peak", exact=True)).to_be_visible()
        self.type_into("Target at velocity", "118")
        expect(self.page.get_by_role("complementary")).to_contain_text("velocity 40: peak")

    def test_what_is_typed_before_another_patch_is_opened_stays_with_its_own(self) -> None:
        url = self.page.url
        self.type_into("Amount of swell on cutoff", "29st")
        self.open_demo("Barge Bell")
        self.settle()
        self.assertNotIn(29, [route.get("amount") for route in document_of(self.page)["routes"]])
        self.page.goto(url)
        self.page.reload()
        expect(self.page.get_by_label("Amount of swell on cutoff", exact=True)).to_have_value("29 st")

    def test_an_answer_that_is_lost_is_no_other_window(self) -> None:
        lost: list[Route] = []

        def lose(route: Route) -> None:
            """Let the store write, and the answer go nowhere."""
            if not lost:
                lost.append(route)
                route.fetch()
                route.abort()
            else:
                route.continue_()

        self.page.route("**/edits", lose)
        self.type_into("Amount of swell on cutoff", "27st")
        self.kept()
        self.assertEqual(len(lost), 1)
        self.type_into("Amount of swell on cutoff", "26st")
        self.kept()
        self.assertIn(26, [route.get("amount") for route in document_of(self.page)["routes"]])

    def test_the_patch_that_was_opened_last_stays_whichever_comes_last(self) -> None:
        heads = {head.name: head.id for head in DocumentStore(self.served.engine, PATCHES).heads()}
        address = f"**/api/patches/{heads['Ferry Horn']}"
        held: list[Route] = []
        self.page.route(address, lambda route: held.append(route))
        self.page.get_by_role("button", name="Patches", exact=True).click()
        library = self.page.get_by_role("group", name="Library")
        library.get_by_role("button", name="Ferry Horn", exact=True).click()
        self.eventually(lambda: bool(held), lambda: "the first was not asked for")
        library.get_by_role("button", name="Lantern Hum", exact=True).click()
        expect(self.name_field).to_have_value("Lantern Hum")
        with self.page.expect_response(address):
            held[0].continue_()
        self.painted(self.page)
        expect(self.name_field).to_have_value("Lantern Hum")
        expect(self.page).to_have_title(re.compile("^Lantern Hum"))
        self.assertTrue(self.page.url.endswith(str(heads["Lantern Hum"])))

    def test_a_version_lands_in_its_own_patch_though_another_was_asked_for_meanwhile(self) -> None:
        here = self.page.url
        self.type_into("Amount of swell on cutoff", "20st")
        self.page.keyboard.press("Control+s")
        expect(self.status).to_have_text(re.compile(r"^saved"))
        number = re.search(r"\d+", self.status.inner_text())
        self.type_into("Amount of swell on cutoff", "10st")
        self.kept()
        held: list[Route] = []
        self.page.route(re.compile(r"/revisions/\d+$"), lambda route: held.append(route))
        self.status.click()
        self.page.get_by_role("button", name=f"Go back to version {number and number[0]}").click()
        self.eventually(lambda: bool(held), lambda: "the version was not asked for")
        self.page.get_by_role("button", name="Patches", exact=True).click()
        library = self.page.get_by_role("group", name="Library")
        library.get_by_role("button", name="Lantern Hum", exact=True).click()
        self.painted(self.page)
        held[0].continue_()
        expect(self.name_field).to_have_value("Lantern Hum")
        self.assertEqual(document_of(self.page)["name"], "Lantern Hum")
        expect(self.page.get_by_role("button", name=re.compile("^Undo"))).to_be_disabled()
        self.page.goto(here)
        self.page.reload()
        self.settle()
        self.kept()
        amounts = {r["source"]: r["amount"] for r in document_of(self.page)["routes"] if r["destination"] == "cutoff"}
        self.assertEqual(amounts["swell"], 20)

    def test_a_sweep_goes_between_the_ends_that_were_typed_just_before(self) -> None:
        self.page.get_by_role("tab", name="Range").click()
        self.type_into("Where the sweep begins", "300 Hz")
        self.type_into("Where the sweep ends", "2 kHz")
        self.page.get_by_role("button", name="Sweep", exact=True).click()
        expect(self.page.get_by_role("button", name="Play it through")).to_be_visible()
        script = """async () => {
            const [job] = (await (await fetch('/api/jobs')).json()).filter(({ kind }) => kind === 'sweep');
            const { ranges } = await (await fetch(`/api/jobs/${job.id}/result`)).json();
            return [ranges[0].steps[0].value, ranges[0].steps.at(-1).value];
        }"""
        low, high = self.page.evaluate(script)
        self.assertAlmostEqual(low, 300.0, delta=0.5)
        self.assertAlmostEqual(high, 2000.0, delta=0.5)

    def test_a_drag_of_saves_and_edits_is_no_other_window(self) -> None:
        for amount in range(20, 26):
            self.type_into("Amount of swell on cutoff", f"{amount}st")
            self.page.keyboard.press("Control+s")
        self.kept()
        expect(self.page.get_by_label("Amount of swell on cutoff", exact=True)).to_have_value("25 st")
        expect(self.page.get_by_text("Two windows")).to_have_count(0)


class Unsteady(BrowserCase):
    """Each request is answered 0 to 2 s late, so that answers overtake each other."""

    shares_a_server = False

    @classmethod
    def serve(cls) -> Served:
        draws = random.Random(31)
        return Served(late_s=lambda: draws.uniform(0.0, 2.0))

    def record(self, scripts: dict[str, str]) -> None:
        """Note at each frame what scripts come to."""
        noted = ", ".join(f"{name}: {script}" for name, script in scripts.items())
        self.page.evaluate(
            f"""() => {{
                window.frames_noted = [];
                const note = () => {{ window.frames_noted.push({{{noted}}}); requestAnimationFrame(note); }};
                note();
            }}"""
        )

    def test_no_figure_finding_or_range_of_an_earlier_edit_stands_unmarked(self) -> None:
        self.open_demo("Loose Bell Rope")
        self.page.get_by_role("button", name="Source ring").first.click()
        side = self.page.get_by_role("complementary")
        expect(side.locator("dl").first).to_contain_text("peak")
        expect(side.locator(".is-old")).to_have_count(0)
        self.record(
            {
                "edit": "document.querySelector('button[aria-label^=Undo]')?.textContent",
                "figures": "document.querySelector('aside dl')?.textContent ?? ''",
                "figuresOld": "document.querySelector('aside dl')?.closest('.is-old') != null",
                "finding": "document.querySelector('footer .finding em')?.textContent ?? ''",
                "findingOld": "document.querySelector('footer .finding .is-old') != null",
            }
        )
        for q in (17, 15, 13):
            self.type_into("ring q", f"{q}")
            self.undo_says(f"ring q {q}")
        expect(side.locator(".is-old").first).to_be_visible()
        expect(side.locator(".is-old")).to_have_count(0)
        frames: list[Json] = self.page.evaluate("window.frames_noted")
        self.assertEqual(len({frame["edit"] for frame in frames}), 4)
        for what in ("figures", "finding"):
            seen: dict[str, set[str]] = {}
            for frame in frames:
                if frame[what] and not frame[f"{what}Old"]:
                    seen.setdefault(frame[what], set()).add(frame["edit"])
            with self.subTest(what=what):
                # With each Q the ring peaks and ends elsewhere, so that no text is true of two edits.
                self.assertGreaterEqual(len(seen), 2)
                self.assertEqual([edits for edits in seen.values() if len(edits) > 1], [])

    def test_a_range_is_marked_until_it_is_whole_and_once_the_patch_was_changed(self) -> None:
        self.page.get_by_role("tab", name="Range").click()
        self.record(
            {
                "running": "document.querySelector('[aria-label^=\"The sweep is made\"]') != null",
                "found": "document.querySelector('ul[aria-label=\"What was found\"]')?.textContent ?? ''",
                "marked": "document.querySelector('ul.unfinished') != null",
            }
        )
        self.page.get_by_role("button", name="Sweep", exact=True).click()
        expect(self.page.get_by_role("button", name="Play it through")).to_be_visible()
        frames: list[Json] = self.page.evaluate("window.frames_noted")
        self.assertTrue(any(frame["running"] for frame in frames))
        self.assertEqual([frame for frame in frames if frame["running"] and frame["found"] and not frame["marked"]], [])
        self.page.get_by_role("tab", name="Note").click()
        self.type_into("Amount of swell on cutoff", "12st")
        self.page.get_by_role("tab", name="Range").click()
        expect(self.page.get_by_text("Swept before the last change")).to_be_visible()


class Windows(BrowserCase):
    def edit_offline(self, page: Page, text: str) -> None:
        """Type something while the store takes nothing."""
        page.route("**/edits", lambda route: route.abort())
        field = page.get_by_label("Amount of swell on cutoff", exact=True)
        field.fill(text)
        field.press("Enter")
        expect(page.locator(STATUS)).to_have_text("not kept yet")

    def test_a_duplicated_tab_loses_nothing(self) -> None:
        """The browser copies what belongs to the tab; both edit while the store is away, and both go."""
        with self.page.expect_popup() as opened:
            self.page.evaluate("window.open(location.href)")
        twin = opened.value
        self.settle(twin)
        self.edit_offline(self.page, "31st")
        self.edit_offline(twin, "17st")
        context, url = self.page.context, self.page.url
        self.page.close()
        twin.close()
        self.page = context.new_page()
        self.page.goto(url)
        self.settle()
        expect(self.page.get_by_label("Amount of swell on cutoff", exact=True)).to_have_value("17 st")
        # The newer edit of the same field stands, and the older one is offered.
        self.page.get_by_role("button", name="Apply", exact=True).click()
        expect(self.page.get_by_label("Amount of swell on cutoff", exact=True)).to_have_value("31 st")
        self.kept()

    def test_a_tab_opened_at_once_after_another_has_closed_finds_its_work(self) -> None:
        self.edit_offline(self.page, "19st")
        context, url = self.page.context, self.page.url
        self.page.close()
        self.page = context.new_page()
        self.page.goto(url)
        self.settle()
        expect(self.page.get_by_label("Amount of swell on cutoff", exact=True)).to_have_value("19 st")
        self.kept()

    def test_what_a_living_window_has_not_kept_yet_is_left_to_it(self) -> None:
        self.edit_offline(self.page, "19st")
        other = self.page.context.new_page()
        other.goto(self.page.url)
        self.settle(other)
        expect(other.get_by_label("Amount of swell on cutoff", exact=True)).to_have_value("44 st")

    def test_a_damaged_mirror_stands_in_nobodys_way(self) -> None:
        identity = self.page.url.partition("#")[2]
        self.page.evaluate("id => localStorage.setItem(`jorvik.draft.${id}.gone`, '{\"document\": ')", identity)
        self.page.reload()
        self.settle()
        self.assertEqual(self.page.evaluate("Object.keys(localStorage).filter(k => k.includes('.draft.')).length"), 0)

    def test_a_file_whose_name_ends_in_half_a_letter_is_kept(self) -> None:
        name = "x" * 39 + "\U0001f6f7 sledge"
        doc = {"format": "jorvik-patch", "version": 1, "name": name}
        self.page.get_by_role("button", name="Patches", exact=True).click()
        with self.page.expect_file_chooser() as chooser:
            self.page.get_by_role("button", name=re.compile("Open files")).click()
        payload = {"name": f"{name}.json", "mimeType": "application/json", "buffer": json.dumps(doc).encode()}
        chooser.value.set_files(payload)  # type: ignore[arg-type]
        expect(self.name_field).to_have_value(name)
        self.page.get_by_label("Name of the patch").fill("y" * 119 + "\U0001f6f7")
        self.page.get_by_label("Name of the patch").press("Enter")
        self.kept()
        self.assertEqual(document_of(self.page)["name"], "y" * 119)


class Keys(BrowserCase):
    def test_while_the_keys_are_shown_their_letters_play_and_do_nothing_else(self) -> None:
        ghost = self.page.get_by_role("button", name="Ghost", exact=True)
        self.page.keyboard.press("k")
        expect(self.page.get_by_role("group", name="Keys; the lower")).to_be_visible()
        struck = self.asked("hear", lambda: self.page.keyboard.press("g"))
        self.assertEqual(struck["key"] % 12, 6)
        expect(ghost).to_have_attribute("aria-pressed", "false")
        self.page.keyboard.press("k")
        self.page.keyboard.press("g")
        expect(ghost).to_have_attribute("aria-pressed", "true")

    def test_space_on_a_fold_folds(self) -> None:
        self.page.keyboard.press("Escape")
        fold = self.page.get_by_role("button", name="Filter 1", exact=True)
        fold.focus()
        expect(fold).to_have_attribute("aria-expanded", "true")
        self.page.keyboard.press("Space")
        expect(fold).to_have_attribute("aria-expanded", "false")
        expect(self.page.get_by_label("filter 1 response")).to_have_count(0)
        expect(self.page.get_by_role("button", name="Play", exact=True)).to_be_visible()

    def test_the_cursor_is_kept_from_view_to_view(self) -> None:
        axis = self.page.get_by_role("slider", name="Time cursor")
        axis.focus()
        for _ in range(6):
            self.page.keyboard.press("ArrowRight")
        stood = axis.get_attribute("aria-valuenow")
        self.page.get_by_role("tab", name="Sound").click()
        moment = self.page.get_by_role("slider", name="Moment of the spectrum")
        expect(moment).to_have_attribute("aria-valuenow", stood or "")
        expect(moment).not_to_have_attribute("aria-valuemax", "0")
        moment.focus()
        self.page.keyboard.press("ArrowRight")
        expect(moment).not_to_have_attribute("aria-valuenow", stood or "")
        moved = moment.get_attribute("aria-valuenow")
        self.page.get_by_role("tab", name="Note").click()
        expect(axis).to_have_attribute("aria-valuenow", moved or "")


class Builder(BrowserCase):
    def test_the_harmonic_builder_opens_a_second_time(self) -> None:
        asked: list[str] = []
        self.page.on("request", lambda r: asked.append(r.url) if r.url.endswith("/api/harmonics") else None)
        self.page.keyboard.press("Escape")
        for turn in (1, 2):
            self.page.get_by_role("button", name="Build from harmonics…").click()
            dialog = self.page.get_by_role("dialog")
            expect(dialog.get_by_label("Level of harmonic 1")).to_be_visible()
            self.page.get_by_label("Level of harmonic 1").fill("50%")
            self.page.get_by_label("Level of harmonic 1").press("Enter")
            dialog.get_by_role("button", name="Clear").click()
            expect(dialog.get_by_label("Level of harmonic 1", exact=True)).to_have_value("0 %")
            column = dialog.get_by_role("columnheader", name="dB").bounding_box()
            assert column is not None
            box = dialog.bounding_box()
            assert box is not None
            self.assertLessEqual(column["x"] + column["width"], box["x"] + box["width"])
            dialog.get_by_role("button", name=re.compile("^Keep")).click()
            expect(dialog).to_have_count(0)
            self.page.evaluate("new Promise(done => requestAnimationFrame(() => requestAnimationFrame(done)))")
            self.assertLess(len(asked), 6 * turn)


class Unsafe(BrowserCase):
    """Over plain HTTP from another machine the browser lends neither identities nor the clipboard nor locks."""

    shares_a_server = False

    @classmethod
    def serve(cls) -> Served:
        return Served(hosts=(ELSEWHERE, "127.0.0.1"))

    def setUp(self) -> None:
        self.page = self.fresh_page(f"http://{ELSEWHERE}:{self.served.port}")

    def test_it_opens_keeps_copies_and_finds_again(self) -> None:
        self.settle()
        self.assertFalse(self.page.evaluate("isSecureContext"))
        self.page.get_by_role("button", name="Source shake").first.click()
        self.page.keyboard.press("Control+c")
        self.redrawn(lambda: self.page.keyboard.press("Control+v"))
        expect(self.page.get_by_label("Name of the source")).to_have_value("shake 2")
        self.kept()
        self.page.route("**/edits", lambda route: route.abort())
        self.page.get_by_label("Amount of swell on cutoff", exact=True).fill("33st")
        self.page.get_by_label("Amount of swell on cutoff", exact=True).press("Enter")
        expect(self.status).to_have_text("not kept yet")
        context, url = self.page.context, self.page.url
        self.page.close()
        self.page = context.new_page()
        self.page.goto(url)
        self.wait_for_sheet(self.page, 1)
        self.assertGreater(self.page.evaluate(SHEETS), 0)
        expect(self.page.get_by_label("Amount of swell on cutoff", exact=True)).to_have_value("33 st")


if __name__ == "__main__":
    unittest.main()
