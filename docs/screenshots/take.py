"""Takes one picture of every main view from the demo data: ``python -m docs.screenshots.take [ADDRESS]
[NAME ...]``.

The application must be running with its demo, with the received Teatrino mended, proved and delivered;
missing steps are done first. Where people sign in, ``NAME`` and ``PASSWORD`` say as whom.
"""

from __future__ import annotations

import contextlib
import os
import sys
import time
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Page, TimeoutError, sync_playwright

from tests.chromium import launched

HERE = Path(__file__).parent


def _api(page: Page, path: str, method: str = "GET", body: object = None) -> object:
    return page.evaluate(
        "async ([p, m, b]) => (await fetch('/api' + p, {method: m, headers: {'content-type': 'application/json'}, body: b === null ? undefined : JSON.stringify(b)})).json()",
        [path, method, body],
    )


def _job(page: Page, move: int, kind: str, settings: dict[str, object]) -> None:
    _ended(page, _api(page, f"/moves/{move}/jobs", "POST", {"kind": kind, "settings": settings}))


def _ended(page: Page, job: object) -> None:
    while (state := _api(page, f"/jobs/{job['id']}")["state"]) in ("waiting", "running"):  # type: ignore[index]
        time.sleep(1)
    assert state == "done", state


def _ended_all(page: Page, move: int) -> None:
    """Until a move has nothing more to do."""
    while (_api(page, f"/moves/{move}")["job"] or {}).get("state") in ("waiting", "running"):  # type: ignore[index]
        time.sleep(1)


def _own_picture(page: Page, move: int) -> None:
    """What a proof drew of the reference, given as one's own picture, held and its light matched."""
    if any(one["held"] for one in _api(page, f"/moves/{move}/own-pictures")["pictures"]):  # type: ignore[index]
        return
    page.evaluate(
        """async (move) => {
            const proof = (await (await fetch(`/api/moves/${move}/proofs`)).json()).proofs[0];
            const view = proof.figures.views[0].name;
            const of = `/api/proofs/${proof.id}/picture?view=${encodeURIComponent(view)}&side=reference`;
            const form = new FormData();
            form.append("files", new File([await (await fetch(of)).blob()], "front-row-render.png"));
            form.append("view", view);
            await fetch(`/api/moves/${move}/own-pictures`, {method: "POST", body: form});
        }""",
        move,
    )
    picture = _api(page, f"/moves/{move}/own-pictures")["pictures"][0]["id"]  # type: ignore[index]
    for act in ("hold", "light"):
        _ended(page, _api(page, f"/moves/{move}/own-pictures/{picture}/{act}", "POST", {}))


def _settled(page: Page, address: str, seconds: float = 2.5) -> None:
    page.goto(address)
    with contextlib.suppress(TimeoutError):
        page.wait_for_load_state("networkidle", timeout=20_000)
    page.wait_for_timeout(int(seconds * 1000))


def _fitted(page: Page, move: int) -> None:
    """Looks for the nearest look of the glass for good, as the page does."""
    asked = f"/moves/{move}/nearest/one?material=material:Chimney-glass"
    for _ in range(300):
        told = _api(page, asked)
        if isinstance(told, dict) and told.get("rough") is False:
            return
        page.wait_for_timeout(500)
    raise SystemExit("no nearest look was found in time")


def main() -> None:
    base = sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8765"
    wanted = sys.argv[2:]
    with sync_playwright() as play:
        browser = launched(play)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.emulate_media(color_scheme="light", reduced_motion="reduce")
        page.goto(base)
        if _api(page, "/session")["accounts"]:  # type: ignore[index]
            _api(page, "/session", "POST", {"name": os.environ["NAME"], "password": os.environ["PASSWORD"]})
            page.goto(base)
        ids = {m["name"]: m["id"] for m in _api(page, "/moves")}  # type: ignore[attr-defined]
        clean, received = ids["Teatrino"], ids["Teatrino, received"]

        def shot(
            name: str, path: str, prepare: Callable[[], None] | None = None, seconds: float = 2.5
        ) -> None:
            if wanted and name not in wanted:
                return
            _settled(page, base + path, seconds)
            if prepare is not None:
                prepare()
                page.wait_for_timeout(1500)
            page.evaluate("window.scrollTo(0, 0)")
            page.screenshot(path=HERE / f"{name}.png")
            print(name)

        def facing() -> None:
            page.get_by_role("button", name="Faces look away").first.click()

        shot("inventory", f"/moves/{received}/inventory", facing, 5)
        shot("inventory-lit", f"/moves/{clean}/inventory?tab=parts&lens=lit", None, 25)
        shot(
            "inventory-sides",
            f"/moves/{clean}/inventory?tab=parts&lens=lit&against=arrival&sharing=beside",
            None,
            75,
        )
        shot(
            "inventory-marked",
            f"/moves/{received}/inventory",
            lambda: page.get_by_role("button", name="Sheets are seen from behind").click(),
            5,
        )
        shot("inventory-along", f"/moves/{received}/inventory?tab=along", None, 20)
        shot("inventory-ids", f"/moves/{clean}/inventory?tab=materials&lens=ids", None, 5)
        if not _api(page, f"/moves/{received}/handovers"):
            findings = _api(page, f"/moves/{received}/inventory")["findings"]  # type: ignore[index]
            mends = [d for f in findings if f["mends"] for d in f["mends"][0]["decisions"]]
            _api(page, f"/moves/{received}/decisions", "POST", mends)
            _job(page, received, "prove", {"samples": 32})
            _job(page, received, "deliver", {})
            _job(page, clean, "prove", {"samples": 32})
            for move in (clean, received):
                _job(page, move, "causes", {"proof": _api(page, f"/moves/{move}/proofs")["proofs"][0]["id"]})  # type: ignore[index]
            _api(page, f"/moves/{received}/undo", "POST")
            _settled(page, f"{base}/moves/{received}/inventory", 5)
            _api(page, f"/moves/{received}/redo", "POST")
        shot("fit", f"/moves/{received}/fit?material=material:Curtain-velvet", None, 8)
        shot(
            "fit-edit",
            f"/moves/{received}/fit?material=material:Stage-boards",
            lambda: page.get_by_role("button", name="Change Gloss").click(),
            8,
        )
        if not wanted or "budget" in wanted:
            # Choices are measured once, as the page's press does.
            _ended(page, _api(page, f"/moves/{clean}/budget", "POST", {}))
        shot("budget", f"/moves/{clean}/fit?show=budget&memory={60 * 2**20}&triangles=90000", None, 5)
        if not wanted and not _api(page, f"/moves/{clean}/mix")["layers"]:  # type: ignore[index]
            _job(page, clean, "mix", {"view": "Front row"})
        shot("light", f"/moves/{clean}/light", None, 12)
        stage = ids["Teatrino, the stage"]
        shot("lightmaps", f"/moves/{stage}/light?page=lightmaps", None, 5)
        shot("proof", f"/moves/{clean}/proof")
        if not wanted or "own-picture" in wanted:
            _own_picture(page, clean)
        shot("own-picture", f"/moves/{clean}/proof?page=own", None, 5)
        measured = ids["A stranger, measured"]
        if not wanted or "gauge" in wanted:
            _ended_all(page, measured)
        shot(
            "gauge",
            f"/moves/{measured}/proof?page=gauge",
            lambda: page.get_by_role("button", name="Green in normal maps").click(),
            3,
        )
        shot(
            "handover",
            f"/moves/{received}/handover",
            lambda: page.get_by_role("tab", name="On disk").click(),
            8,
        )
        shot("desk", "/", lambda: page.get_by_text("What takes room").click())
        if _api(page, "/session")["accounts"]:  # type: ignore[index]
            share = page.get_by_role("button", name="Share", exact=True)
            shot("sharing", f"/moves/{received}/inventory", share.first.click, 5)
        if not wanted or "nearest" in wanted:
            _fitted(page, clean)
        shot("nearest", f"/moves/{clean}/fit?show=nearest&material=material:Chimney-glass", None, 5)
        shot("fit-model", f"/moves/{clean}/fit?show=model&input=roughness", None, 20)
        shot("sheets", "/sheets/lanterna")
        browser.close()


if __name__ == "__main__":
    main()
