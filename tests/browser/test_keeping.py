"""What is kept when tabs close, servers die and two windows meet."""

import re
import unittest

from playwright.sync_api import Page, Route, expect

from jorvik.store.documents import DocumentStore
from jorvik.store.kinds import PATCHES
from tests.browser.copied import OnACopy
from tests.browser.driver import MIRRORS
from tests.support import Served, cluster

AMOUNT = "Amount of swell on cutoff"


class Keeping(OnACopy):
    def expect_amount(self, text: str, page: Page | None = None) -> None:
        expect((page or self.page).get_by_label(AMOUNT, exact=True)).to_have_value(text)

    def test_an_edit_is_found_again_after_a_reload_and_so_is_the_way_back(self) -> None:
        self.type_into(AMOUNT, "31st")
        self.kept()
        self.page.reload()
        self.settle()
        self.expect_amount("31 st")
        self.undo_says("swell on cutoff 31 st")
        self.page.keyboard.press("Control+z")
        self.expect_amount("44 st")

    def test_a_typed_value_still_on_its_way_is_asked_about_before_the_window_goes(self) -> None:
        held: list[Route] = []
        self.page.route("**/api/value", lambda route: held.append(route))
        self.type_into(AMOUNT, "31st")
        expect(self.status).to_have_text("keeping…")
        with self.page.expect_event("dialog") as question:
            self.page.evaluate("setTimeout(() => location.reload())")
        self.assertEqual(question.value.type, "beforeunload")
        question.value.dismiss()
        self.eventually(lambda: bool(held), lambda: "the typed value was not sent")
        held[0].continue_()
        self.kept()
        self.expect_amount("31 st")
        self.page.unroute("**/api/value")
        self.page.on("dialog", lambda dialog: self.fail(f"asked {dialog.type} with nothing on its way"))
        self.page.reload()
        self.settle()
        self.expect_amount("31 st")

    def test_saved_versions_are_listed_and_restored(self) -> None:
        self.type_into(AMOUNT, "20st")
        self.page.keyboard.press("Control+s")
        expect(self.status).to_have_text("saved · version 2")
        self.type_into(AMOUNT, "10st")
        self.status.click()
        self.page.get_by_role("button", name="Go back to version 2").click()
        self.expect_amount("20 st")
        self.undo_says("back to version 2")
        self.page.get_by_role("button", name=re.compile("^Undo")).click()
        self.expect_amount("10 st")

    def test_a_version_is_saved_once(self) -> None:
        self.type_into(AMOUNT, "20st")
        self.page.get_by_role("button", name="Save", exact=True).click()
        expect(self.status).to_have_text("saved · version 2")
        self.page.get_by_role("button", name="Save", exact=True).press("Enter")
        expect(self.page.get_by_role("status").filter(has_text="Nothing has changed since version 2.")).to_be_visible()
        self.type_into(AMOUNT, "21st")
        self.page.keyboard.press("Control+s")
        expect(self.status).to_have_text("saved · version 3")

    def test_the_database_stops_and_comes_back(self) -> None:
        cluster().stop()
        self.addCleanup(cluster().ensure_started)
        self.redrawn(lambda: self.type_into(AMOUNT, "17st"))
        expect(self.page.get_by_role("alert").filter(has_text="Not kept yet")).to_contain_text(
            "The store cannot be reached"
        )
        self.expect_amount("17 st")
        cluster().ensure_started()
        self.kept()
        self.page.reload()
        self.settle()
        self.expect_amount("17 st")

    def second_window(self) -> Page:
        page = self.page.context.new_page()
        page.goto(self.page.url)
        self.settle(page)
        return page

    def type_in(self, page: Page, label: str, text: str) -> None:
        """Type into a field of another window, and wait until the edit is kept."""
        field = page.get_by_label(label, exact=True)
        field.fill(text)
        field.press("Enter")
        self.until(f"{MIRRORS} === 0", "the edit was not kept", page)

    def names(self) -> list[str]:
        return [head.name for head in DocumentStore(self.served.engine, PATCHES).heads()]

    def test_edits_of_two_windows_on_different_fields_both_stand(self) -> None:
        other = self.second_window()
        self.type_in(other, AMOUNT, "33st")
        self.type_into("Amount of shake on cutoff", "3")
        expect(self.page.get_by_text("Merged the edits of another window.")).to_be_visible()
        self.expect_amount("33 st")
        self.undo_says("shake on cutoff 3 st")
        self.page.keyboard.press("Control+z")
        self.kept()
        # Undo takes back the edits of this window only.
        self.expect_amount("33 st")
        self.type_in(other, "Amount of shake on cutoff", "5")
        self.expect_amount("33 st", other)

    def test_a_window_that_is_looked_at_again_shows_the_edits_of_another(self) -> None:
        other = self.second_window()
        self.type_in(other, AMOUNT, "33st")
        self.page.evaluate("window.dispatchEvent(new Event('focus'))")
        self.expect_amount("33 st")
        self.kept()
        expect(self.page.get_by_role("button", name="Undo", exact=True)).to_be_disabled()

    def test_the_edit_of_one_field_that_comes_last_stands(self) -> None:
        other = self.second_window()
        self.type_in(other, AMOUNT, "33st")
        self.type_into(AMOUNT, "11st")
        self.kept()
        self.expect_amount("11 st")
        self.type_in(other, "Amount of shake on cutoff", "5")
        self.expect_amount("11 st", other)

    def test_an_edit_of_what_another_window_removed_is_refused_with_a_sentence(self) -> None:
        other = self.second_window()
        other.get_by_role("button", name="Source swell").first.click()
        other.get_by_role("button", name="Remove it", exact=True).click()
        expect(other.get_by_label(AMOUNT, exact=True)).to_have_count(0)
        self.until(f"{MIRRORS} === 0", "the edit was not kept", other)
        self.type_into(AMOUNT, "11st")
        refusal = re.compile("^Not applied: swell on cutoff 11 st. .*removed meanwhile")
        expect(self.page.get_by_text(refusal)).to_be_visible()
        expect(self.page.get_by_label(AMOUNT, exact=True)).to_have_count(0)
        expect(self.page.get_by_role("button", name=re.compile("^Undo: swell"))).to_have_count(0)
        self.kept()

    def test_rename_new_duplicate_delete_and_back(self) -> None:
        self.name_field.fill("Wharf Song")
        self.name_field.press("Enter")
        self.undo_says("rename to Wharf Song")
        self.kept()
        self.page.get_by_role("button", name="Patches", exact=True).click()
        self.page.get_by_role("button", name="Delete Wharf Song").click()
        expect(self.page.get_by_role("button", name="Delete Wharf Song")).to_have_count(0)
        self.assertNotIn("Wharf Song", self.names())
        self.page.get_by_role("status").get_by_role("button", name="Undo", exact=True).click()
        expect(self.name_field).to_have_value("Wharf Song")
        self.page.get_by_role("button", name="Patches", exact=True).click()
        self.page.get_by_role("button", name="New patch").click()
        expect(self.name_field).to_have_value("Untitled")
        expect(self.page.get_by_text("Nothing moves yet.")).to_be_visible()


class ServerKilled(OnACopy):
    shares_a_server = False

    def test_the_server_is_killed_in_the_middle_of_an_edit(self) -> None:
        port, data = self.served.port, self.served.data
        type(self).served.stop()
        self.type_into("Amount of shake on cutoff", "3")
        expect(self.page.get_by_role("alert").first).to_contain_text("does not answer")
        self.page.get_by_role("button", name="Mute shake on cutoff").dispatch_event("click")
        expect(self.status).to_have_text("not kept yet")
        type(self).served = Served(port, data)
        self.kept()
        self.page.reload()
        self.settle()
        expect(self.stave("Cutoff").get_by_role("button", name="Unmute shake on cutoff")).to_have_count(1)

    def test_a_window_closed_while_nothing_answers_loses_nothing(self) -> None:
        port, data = self.served.port, self.served.data
        type(self).served.stop()
        self.page.get_by_role("button", name="Mute swell on cutoff").dispatch_event("click")
        expect(self.status).to_have_text("not kept yet")
        context = self.page.context
        url = self.page.url
        self.page.close()
        type(self).served = Served(port, data)
        self.page = context.new_page()
        self.page.goto(url)
        self.settle()
        expect(self.stave("Cutoff").get_by_role("button", name="Unmute swell on cutoff")).to_have_count(1)


if __name__ == "__main__":
    unittest.main()
