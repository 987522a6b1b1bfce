"""Two people in a real browser: signing in, sharing, seeing each other's decisions, and the desk's second
chance.
"""

from __future__ import annotations

from django.contrib.auth.models import User
from django.test import override_settings
from playwright.sync_api import Page, expect

from server.moves.models import Move
from tests.browser.making import BrowserTest
from tests.server.making import GLB

WORD = "many words are long"
QUICK = "django.contrib.auth.hashers.MD5PasswordHasher"  # the real one takes its time on purpose


@override_settings(ACCOUNTS=True, PASSWORD_HASHERS=[QUICK])
class TwoPeople(BrowserTest):
    def signed_in(self, name: str) -> Page:
        User.objects.create_user(name, password=WORD)
        context = self.browser.new_context(viewport={"width": 1280, "height": 800})
        page = context.new_page()
        page.goto(self.live_server_url)
        page.get_by_label("Name").fill(name)
        page.get_by_label("Password").fill(WORD)
        page.get_by_role("button", name="Sign in").click()
        expect(page.get_by_role("heading", name="Moves")).to_be_visible()
        return page

    def test_a_move_is_shared_and_what_one_decides_the_other_sees(self) -> None:
        bice, ada = self.signed_in("Bice"), self.signed_in("Ada")
        ada.get_by_test_id("files").set_input_files(
            [{"name": "rich.glb", "mimeType": "model/gltf-binary", "buffer": GLB}]
        )
        ada.get_by_role("button", name="Begin the move").click()
        expect(ada.get_by_role("heading", name="What arrived")).to_be_visible()
        ada.get_by_role("button", name="Share", exact=True).click()
        panel = ada.get_by_role("complementary", name="Sharing")
        panel.get_by_label("Share with").select_option("Bice")
        panel.get_by_label("What they may do").select_option("look")
        panel.get_by_role("button", name="Share", exact=True).click()
        expect(panel.get_by_label("What Bice may do")).to_have_value("look")
        panel.get_by_role("button", name="Make a link").click()
        expect(panel.get_by_role("link")).to_have_count(1)
        ada.keyboard.press("Escape")

        bice.reload()
        bice.get_by_role("link", name="rich").last.click()
        expect(bice.get_by_text("You may look at this move.")).to_be_visible()
        expect(bice.get_by_role("heading", name="What arrived")).to_be_visible()
        bice.get_by_role("button", name="History").click()
        history = bice.get_by_role("complementary", name="History")
        expect(history.get_by_role("listitem")).to_have_count(1)  # as it was received

        move = Move.objects.get()
        said = f"""fetch('/api/moves/{move.id}/decisions', {{method: 'POST',
            headers: {{'content-type': 'application/json'}},
            body: JSON.stringify([{{target: 'environment', field: 'level', value: 3}}])}}).then(r => r.status)"""
        self.assertEqual(bice.evaluate(said), 403)
        self.assertEqual(ada.evaluate(said), 200)
        expect(history.get_by_text("Ada ·")).to_be_visible()  # without asking for it

        bice.get_by_role("button", name="Sign out").click()
        expect(bice.get_by_role("heading", name="Sign in")).to_be_visible()


class SecondChance(BrowserTest):
    def test_what_is_taken_off_can_be_brought_back_at_once_or_later(self) -> None:
        page = self.page
        self.open("/")
        page.get_by_test_id("files").set_input_files(
            [{"name": "rich.glb", "mimeType": "model/gltf-binary", "buffer": GLB}]
        )
        page.get_by_role("button", name="Begin the move").click()
        page.wait_for_url("**/inventory")
        self.open("/")
        row = page.get_by_role("listitem").filter(
            has=page.get_by_role("button", name="Take rich off the desk")
        )
        row.hover()
        page.get_by_role("button", name="Take rich off the desk").click()
        expect(page.get_by_text("The desk is empty.")).to_be_visible()
        page.get_by_role("status").get_by_role("button", name="Bring back").click()
        expect(page.get_by_role("link", name="rich").last).to_be_visible()
        row.hover()
        page.get_by_role("button", name="Take rich off the desk").click()
        expect(page.get_by_text("The desk is empty.")).to_be_visible()
        page.get_by_text("Taken off the desk", exact=True).click()
        expect(page.get_by_text("kept for 30 more days")).to_be_visible()
        page.once("dialog", lambda dialog: dialog.accept())
        page.get_by_role("button", name="Remove rich for good").click()
        expect(page.get_by_text("Nothing was taken off in the last 30 days.")).to_be_visible()
        self.assertFalse(Move.objects.exists())
        page.get_by_text("What takes room").click()
        expect(page.get_by_text("are free on the disk")).to_be_visible()
