"""The workbench in a browser: drawing, saying, handing over, judging, comparing, looking into the sound."""

import re
from typing import Any

from playwright.sync_api import Page, Request, expect

from jorvik.core.document.patch import check_patch
from jorvik.core.engine.trace import trace
from jorvik.core.measure.sound import loudness
from jorvik.core.voice.render import render
from tests.browser.driver import BrowserCase
from tests.support import RATE, Json, demos


def patch_of(page: Page) -> Json:
    """The document of the open patch, as the store keeps it."""
    script = "async () => (await (await fetch(`/api/patches/${location.hash.slice(1)}`)).json()).document"
    found: Json = page.evaluate(script)
    return found


class Patching(BrowserCase):
    def kept_patch(self) -> Json:
        self.kept()
        return patch_of(self.page)

    def route(self, name: str) -> Json:
        return next(route for route in self.kept_patch()["routes"] if route["id"] == name)

    def test_a_route_is_said_as_a_sentence(self) -> None:
        field = self.page.get_by_label("Say a route")
        field.fill("lip raises wavetable position 20%, scaled by velocity")
        self.redrawn(lambda: field.press("Enter"))
        route = self.route("lip to wavetable_position")
        self.assertEqual((route["amount"], route["via"]), (0.2, "velocity"))
        field.fill("nobody raises cutoff 3 st")
        field.press("Enter")
        expect(self.page.get_by_role("alert")).to_contain_text("one of swell, lip, shake")
        expect(field).to_have_value("nobody raises cutoff 3 st")

    def test_every_route_of_a_source_is_handed_over_in_one_action(self) -> None:
        self.page.get_by_role("button", name="Source swell").click()
        self.redrawn(lambda: self.page.get_by_label("Hand the routes of swell over").select_option("breath"))
        sources = [route["source"] for route in self.kept_patch()["routes"]]
        self.assertNotIn("swell", sources)
        self.assertEqual(sources.count("breath"), 3)
        self.redrawn(lambda: self.page.get_by_role("button", name="Undo").click())
        self.assertEqual([r["source"] for r in self.kept_patch()["routes"]].count("swell"), 2)

    def test_a_source_is_doubled_copied_and_pasted_into_another_patch(self) -> None:
        self.page.context.grant_permissions(["clipboard-read", "clipboard-write"], origin=self.served.url)
        self.page.get_by_role("button", name="Source shake").click()
        self.redrawn(lambda: self.page.get_by_role("button", name="Duplicate", exact=True).click())
        expect(self.page.get_by_role("button", name="Source shake 2")).to_be_visible()
        self.page.get_by_role("button", name="Copy", exact=True).click()
        expect(self.page.get_by_role("status").filter(has_text="copied")).to_be_visible()
        self.open_demo("Ice Crack")
        self.page.locator("body").press("Control+v")
        expect(self.page.get_by_role("button", name="Source shake 2")).to_be_visible()

    def test_the_ends_of_a_macro_are_set_by_doing(self) -> None:
        self.page.get_by_label("Add a source").select_option("macro")
        self.page.get_by_role("button", name="full", exact=True).click()
        chooser = self.page.get_by_label("Let macro set another")
        self.redrawn(lambda: chooser.select_option("fold"))
        self.redrawn(lambda: self.type_into("fold with macro full", "80%"))
        self.page.get_by_role("button", name="at 0", exact=True).click()
        self.redrawn(lambda: self.type_into("fold with macro at 0", "10%"))
        route = self.route("macro to fold")
        self.assertEqual((route["mode"], route["low"], route["high"]), ("range", 0.1, 0.8))

    def test_undo_and_a_raised_signal_reach_back_through_a_reload(self) -> None:
        for text in ("30st", "31st", "32st"):
            self.redrawn(lambda text=text: self.type_into("Amount of swell on cutoff", text))  # type: ignore[misc]
        self.page.get_by_label("Show another stave").select_option("shake")
        expect(self.page.get_by_role("region", name="Signals laid over each other")).to_contain_text("shake")
        self.kept()
        self.page.reload()
        self.settle()
        self.undo_says("swell on cutoff 32 st")
        expect(self.page.get_by_role("region", name="Signals laid over each other")).to_contain_text("shake")
        for _ in range(3):
            self.redrawn(lambda: self.page.get_by_role("button", name="Undo").click())
        expect(self.page.get_by_label("Amount of swell on cutoff", exact=True)).to_have_value("44 st")


class Drawing(BrowserCase):
    def test_a_curve_is_drawn_by_click_drag_and_figure_and_a_scale_key_by_key(self) -> None:
        self.page.get_by_label("Add a source").select_option("curve")
        frame = self.page.get_by_role("group", name=re.compile("^Points of drawn curve"))
        box = frame.bounding_box()
        assert box is not None
        self.redrawn(lambda: self.page.mouse.click(box["x"] + box["width"] / 2, box["y"] + 20))
        expect(self.page.get_by_role("slider", name=re.compile("^Point .* of drawn curve"))).to_have_count(3)
        self.redrawn(lambda: self.type_into("Place of point 2", "0.25"))
        self.redrawn(lambda: self.type_into("Bend after point 2", "4"))
        point = self.page.get_by_role("slider", name=re.compile("^Point 2 of drawn curve"))
        expect(point).to_have_attribute("aria-label", re.compile("at 0.25,"))
        point.focus()
        self.redrawn(lambda: point.press("ArrowRight"))
        expect(point).to_have_attribute("aria-label", re.compile("at 0.3,"))
        self.redrawn(lambda: self.page.get_by_role("button", name="hold", exact=True).click())
        self.redrawn(lambda: point.press("Delete"))
        expect(self.page.get_by_role("slider", name=re.compile("^Point .* of drawn curve"))).to_have_count(2)
        self.page.get_by_label("Add a source").select_option("quantise")
        self.redrawn(lambda: self.page.get_by_role("button", name="1 semitones over the root", exact=True).click())
        expect(self.page.get_by_role("button", name="1 semitones over the root", exact=True)).to_have_attribute(
            "aria-pressed", "false"
        )
        self.page.get_by_label("quantise scale", exact=True).select_option("major")
        pressed = self.page.locator(".keys button[aria-pressed=true]")
        expect(pressed).to_have_count(7)


class Judging(BrowserCase):
    def test_a_finding_is_shown_tried_and_taken(self) -> None:
        self.open_demo("Unsteady Hand")
        foot = self.page.get_by_role("contentinfo")
        expect(foot).to_contain_text("velocity passes zero by 0.06")
        foot.get_by_role("button", name=re.compile("^Try")).click()
        expect(self.page.get_by_text("behind: velocity takes away exactly −0.3 st")).to_be_visible()
        self.redrawn(lambda: foot.get_by_role("button", name="Take it").click())
        expect(foot).not_to_contain_text("passes zero")
        self.undo_says("fix: velocity takes away exactly −0.3 st")

    def test_a_finding_is_set_aside_with_a_reason_that_stays(self) -> None:
        self.open_demo("Cracked Latch")
        foot = self.page.get_by_role("contentinfo")
        expect(foot).to_contain_text("a click")
        foot.get_by_role("button", name=re.compile("more|All")).click()
        dialog = self.page.get_by_role("dialog")
        dialog.get_by_role("button", name="Set aside…").first.click()
        dialog.get_by_label("Why it is meant").fill("The latch is the click.")
        dialog.get_by_role("button", name="Set it aside").click()
        expect(dialog).to_contain_text("Set aside: The latch is the click.")
        self.page.keyboard.press("Escape")
        self.kept()
        self.page.reload()
        self.settle()
        expect(foot).to_contain_text("closes by 90 %")
        expect(foot).not_to_contain_text("opens by")

    def test_figures_of_a_stave_and_a_wish(self) -> None:
        self.page.get_by_role("button", name="Figures of cutoff", exact=True).click()
        aside = self.page.get_by_role("complementary")
        expect(aside).to_contain_text("1.3 kHz after 420 ms")
        aside.get_by_label("Target for peak", exact=True).check()
        self.type_into("Target peak", "2.6kHz")
        aside.get_by_role("button", name="Work it out").click()
        aside.get_by_role("button", name="Take it").click()
        expect(aside).to_contain_text(re.compile("2.6 kHz after|2.59. kHz after"))
        self.undo_says("target for cutoff")

    def test_who_moves_a_lane_between_the_posts(self) -> None:
        self.page.get_by_role("button", name="Figures of pitch", exact=True).click()
        axis = self.page.get_by_role("region", name="Pitch", exact=True).bounding_box()
        ruler = self.page.get_by_text("500 ms", exact=True).bounding_box()
        assert axis is not None and ruler is not None
        y = ruler["y"] + ruler["height"] / 2
        self.page.mouse.move(ruler["x"] + 60, y)
        self.page.mouse.down()
        self.page.mouse.move(ruler["x"] + 260, y, steps=4)
        self.page.mouse.up()
        aside = self.page.get_by_role("complementary")
        expect(aside).to_contain_text("Between the posts")
        # The lip has fallen by then: all that moves is the shake.
        expect(aside).to_contain_text(re.compile("lip\\s*−?0 %"))
        expect(aside).to_contain_text(re.compile("shake\\s*100 %"))


class Views(BrowserCase):
    def test_soft_medium_and_hard_side_by_side(self) -> None:
        self.page.get_by_role("tab", name="Compare").click()
        self.page.get_by_role("button", name="Cutoff", exact=True).click()
        table = self.page.get_by_role("table")
        expect(table).to_contain_text("118")
        rows = table.locator("tbody tr")
        expect(rows).to_have_count(3)
        expect(rows.nth(2)).to_contain_text("+")
        expect(rows.filter(has_text=re.compile(r"[−0][\d.]* dB"))).to_have_count(3)
        of = check_patch(patch_of(self.page))
        loud = [loudness(render(of.with_note(velocity=v)).samples, RATE) for v in (40, 80, 118)]
        for row, level in zip(rows.all(), loud, strict=True):
            gain = min(loud) - level
            expect(row).to_contain_text("0 dB" if gain > -0.05 else f"−{-gain:.1f} dB")

        def of_the_ghost(request: Request) -> bool:
            body: Any = request.post_data_json if request.url.endswith("/api/sheet") else None
            return body is not None and body["document"]["performance"]["notes"][0]["velocity"] == 118

        with self.page.expect_request(of_the_ghost):
            rows.nth(2).get_by_role("button", name="Hold 118 as ghost").click()
        expect(self.page.get_by_text("behind: velocity 118")).to_be_visible()

    def test_steps_are_swapped_kept_and_laid_side_by_side(self) -> None:
        self.page.get_by_role("tab", name="Compare").click()
        rows = self.page.get_by_role("table").locator("tbody tr")
        expect(rows).to_have_count(3)
        self.page.get_by_role("button", name="Swap 40 with…").click()
        self.page.get_by_role("button", name="Swap with 118").click()
        expect(rows.nth(0).locator("td").first).to_have_text("118")
        # Differences are told from the first, which is the hard one now.
        self.page.get_by_role("button", name="Cutoff", exact=True).click()
        expect(rows.nth(2)).to_contain_text("−")
        stave = self.page.get_by_role("img", name="Cutoff at every step")
        self.page.get_by_role("button", name="Side by side").click()
        expect(stave.locator("canvas")).to_have_count(3)
        self.page.get_by_role("button", name="Over each other").click()
        expect(stave.locator("canvas")).to_have_count(1)
        self.page.get_by_role("button", name="Keep 118 as a variant").click()
        self.page.get_by_role("button", name="Open it").click()
        expect(self.name_field).to_have_value("Ferry Horn, 118")
        self.assertEqual(patch_of(self.page)["performance"]["notes"][0]["velocity"], 118)

    def test_another_patch_beside_this_one_at_the_same_note(self) -> None:
        self.page.get_by_role("tab", name="Compare").click()
        self.page.get_by_label("What is compared").select_option("patches")
        self.page.get_by_label("Add a patch to compare with").select_option(label="Barge Bell")
        rows = self.page.get_by_role("table", name="the difference from the first").locator("tbody tr")
        expect(rows).to_have_count(2)
        expect(rows.nth(1)).to_contain_text("Barge Bell")
        self.page.get_by_role("button", name="Cutoff", exact=True).click()
        bell = check_patch({**demos()["barge-bell"], "performance": patch_of(self.page)["performance"]})
        cutoff = trace(bell).lanes["cutoff"].value
        expect(rows.nth(1)).to_contain_text(f"{float(cutoff.max()) / 1000:.4g} kHz")

    def test_versions_that_differ_only_in_what_nothing_moves_are_told_apart(self) -> None:
        """Fold is moved by nothing, and the slope of the filter is no stave at all."""
        self.page.get_by_role("button", name="Save", exact=True).click()
        self.page.get_by_label("Show another stave").select_option("fold")
        self.redrawn(lambda: self.type_into("Fold set value", "35%"))
        self.page.get_by_role("tab", name="Note", exact=True).click()
        self.page.keyboard.press("Escape")
        self.page.get_by_label("filter 1 slope").select_option("gentle")
        self.kept()
        self.page.get_by_role("tab", name="Compare").click()
        self.page.get_by_label("What is compared").select_option("versions")
        fold = self.page.get_by_role("button", name="Fold", exact=True)
        fold.click()
        table = self.page.get_by_role("table", name="Fold, and the difference from the first")
        expect(table).to_contain_text("35 %")
        expect(table).to_contain_text("−35 %")
        settings = self.page.get_by_role("region", name="Settings that differ")
        expect(settings.get_by_role("row", name="voice base fold")).to_contain_text("0.35")
        expect(settings.get_by_role("row", name="voice filter slope")).to_contain_text("gentle")

    def test_the_map_leads_to_sources_and_routes(self) -> None:
        self.page.get_by_role("tab", name="Map").click()
        self.page.get_by_role("button", name="shake, LFO").click()
        expect(self.page.get_by_label("Name of the source")).to_have_value("shake")
        self.page.get_by_role("button", name="shake moves pitch", exact=True).focus()
        self.page.keyboard.press("Enter")
        expect(self.page.get_by_label("Mode of the route")).to_be_visible()
        scaled = self.page.get_by_role("button", name="velocity scales how far swell moves cutoff", exact=True)
        expect(scaled).to_have_count(1)

    def test_the_sound_is_looked_into(self) -> None:
        self.page.get_by_role("tab", name="Sound").click()
        table = self.page.get_by_role("table", name=re.compile("Harmonics at"))
        expect(table.locator("tbody tr").first).to_contain_text("G2")
        expect(self.page.get_by_role("table", name="Levels")).to_contain_text("LUFS")
        # What the picture shows as nothing is what stands beside it: 0 of 255 there, 255 at full scale.
        expect(self.page.get_by_text("18 kHz at the top")).to_contain_text("blank from −100 dB down")
        self.page.get_by_role("button", name="Hold as ghost").click()
        expect(self.page.get_by_role("button", name="A against B")).to_be_visible()

    def test_a_tone_is_built_from_harmonics(self) -> None:
        self.page.get_by_role("button", name="Build from harmonics…").click()
        dialog = self.page.get_by_role("dialog")
        expect(dialog.get_by_role("row", name=re.compile("^3 294 Hz D4"))).to_be_visible()
        bar = dialog.get_by_role("slider", name="Harmonic 3", exact=True)
        bar.focus()
        bar.press("Delete")
        expect(dialog.get_by_role("row", name=re.compile("^3 .*–"))).to_be_visible()
        dialog.get_by_label("Level of harmonic 3").fill("-6dB")
        dialog.get_by_label("Level of harmonic 3").press("Enter")
        expect(dialog.get_by_role("row", name=re.compile("^3 .*−6"))).to_be_visible()
        self.redrawn(lambda: dialog.get_by_role("button", name="Keep it in the patch").click())
        self.kept()
        oscillators = patch_of(self.page)["voice"]["oscillators"]
        self.assertEqual(oscillators["osc1"]["table"], "built")
        self.assertAlmostEqual(oscillators["tables"][0]["frames"][0][2][0], 0.5012, places=3)

    def test_the_wheel_and_keys_zoom_and_posts_measure(self) -> None:
        self.redrawn(lambda: self.page.locator("body").press("1"))
        expect(self.page.get_by_text("40 ms", exact=True)).to_be_visible()
        self.redrawn(lambda: self.page.locator("body").press("0"))
        axis = self.page.get_by_role("slider", name="Time cursor").bounding_box()
        assert axis is not None
        x, width, y = axis["x"], axis["width"], axis["y"] + 8
        self.page.mouse.move(x + width * 0.25, y)
        self.page.mouse.down()
        self.page.mouse.move(x + width * 0.5, y)
        self.page.mouse.up()
        expect(self.page.get_by_text(re.compile(r"57\d(\.\d)? ms · 0\.69\d? beats"))).to_be_visible()
        self.page.mouse.move(x + width / 2, y + 200)
        self.page.keyboard.down("Control")
        self.redrawn(lambda: self.page.mouse.wheel(0, -200))
        self.page.keyboard.up("Control")
        expect(self.page.get_by_role("button", name="whole note (0)")).to_have_attribute("aria-pressed", "false")


class Hearing(BrowserCase):
    def test_what_is_much_louder_is_turned_down_before_it_is_heard(self) -> None:
        self.type_into("Amplitude set value", "4%")
        self.kept()
        self.asked("hear", self.page.get_by_role("button", name="Play", exact=True).click)
        expect(self.page.get_by_role("button", name="Play", exact=True)).to_be_visible()
        self.type_into("Amplitude set value", "90%")
        self.page.get_by_role("button", name="Play", exact=True).click()
        expect(self.page.get_by_role("alert")).to_contain_text(re.compile("dB louder than the last one played"))
        self.page.get_by_role("button", name="Play it as it is").click()
        expect(self.page.get_by_text("dB louder than the last one played")).not_to_be_visible()
