"""Pictures on surfaces, as a person puts them there and sees them."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import FilePayload, expect

from tests.browser.conftest import Studio
from tests.browser.shapes import node_of, scene_of
from tests.browser.test_walks import Walk, chosen, drawn
from tests.serving import stored

pytestmark = pytest.mark.browser

RED, BLUE = (200, 30, 30), (30, 30, 200)
SEEN = """([x, y]) => new Promise((done) => { const { stage } = window.lazzik; stage.bare(() => {
    const gl = stage.renderer.getContext(); const dot = new Uint8Array(4);
    const V = stage.camera.position.constructor; const at = new V(x, y, 0.001).project(stage.eye);
    const [width, height] = [gl.drawingBufferWidth, gl.drawingBufferHeight];
    const place = [Math.round((at.x + 1) / 2 * width), Math.round((at.y + 1) / 2 * height)];
    gl.readPixels(...place, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, dot);
    done([...dot]); }); })"""


def card(form: str = "PNG") -> FilePayload:
    """A file with a picture, red at the left and blue at the right."""
    dots = np.zeros((40, 80, 3), dtype=np.uint8)
    dots[:, :40], dots[:, 40:] = RED, BLUE
    out = io.BytesIO()
    Image.fromarray(dots).save(out, form, **({"lossless": True} if form == "WEBP" else {}))
    return {"name": f"Card.{form.lower()}", "mimeType": "", "buffer": out.getvalue()}


def hue(studio: Studio, x: float, y: float) -> str:
    """What colour is seen at a place in the plane of the sheet."""
    studio.page.wait_for_function("() => !window.lazzik.stage.waiting")
    r, g, b, _ = studio.page.evaluate(SEEN, [x, y])
    if r > 1.6 * b and r > 1.6 * g:
        return "red"
    return "blue" if b > 1.6 * r and b > 1.6 * g else "other"


def ready(studio: Studio) -> None:
    """Wait until the picture is drawn as the last step left it: that one is saved is said before its file is loaded."""
    studio.page.wait_for_function("() => window.lazzik.settled()")
    studio.page.wait_for_function(
        "() => window.lazzik.stage.nodes.get('card')?.mesh?.material.map?.image && !window.lazzik.stage.waiting"
    )


@pytest.fixture
def carded(small: Studio) -> Studio:
    """A picture as a sheet, with nothing before it."""
    page = small.page
    page.click("#row-post > a")
    chosen(page, "Post")
    page.click("#tree [data-act=remove-objects]")
    small.lands(1)
    page.keyboard.press("a")
    page.set_input_files("#bring-file", card())
    small.lands(2)
    chosen(page, "Card")
    ready(small)
    return small


def test_a_picture_on_a_sheet_enters_elastically(small: Studio) -> None:
    walk, page = Walk(small), small.page
    before = scene_of(small)
    walk.key("a")
    page.set_input_files("#bring-file", card())
    walk.did(True)
    chosen(page, "Card")
    walk.press('.channel[data-address="card/position.x"]')
    expect(page.locator(".trail strong")).to_have_text("Card / position x")
    walk.key("l")
    walk.press("[data-add=travel]", lands=True)
    walk.choose("#strip [data-into='settings.ease'] select", "elastic", lands=True)
    walk.type_("#strip .knob[data-address$='.begin'] input.num", "-4")
    walk.type_("#strip .knob[data-address$='.finish'] input.num", "0")
    walk.is_told("a picture on a sheet that enters elastically")
    way = drawn(walk, "card/position.x")
    assert (way[0], way[-1]) == (pytest.approx(-4), pytest.approx(0))
    assert (np.diff(np.sign(np.diff(way))) != 0).sum() > 2  # it swings about where it arrives
    look = node_of(small, "card")["look"]
    assert (look["picture"]["label"], node_of(small, "card")["shape"]["width"]) == ("Card", 2.0)
    walk.undo_all()
    assert scene_of(small) == before
    page.wait_for_function("() => window.lazzik.settled()")


def test_it_is_seen_where_it_lies_and_beyond_its_edge_is_what_is_chosen(carded: Studio) -> None:
    page = carded.page
    assert [hue(carded, x, 0.5) for x in (-0.7, -0.2, 0.2, 0.7)] == ["red", "red", "blue", "blue"]
    carded.unfolded('.knob[data-address="card/look.picture.x"] input.num').fill("0.5")
    page.press('.knob[data-address="card/look.picture.x"] input.num', "Enter")
    carded.lands(3)
    ready(carded)
    wanted = {
        "clear": ["other", "other", "red", "red"], "last": ["red", "red", "red", "red"],
        "mirror": ["blue", "red", "red", "red"], "repeat": ["blue", "blue", "red", "red"],
    }  # fmt: skip
    assert [hue(carded, x, 0.5) for x in (-0.7, -0.2, 0.2, 0.7)] == wanted["clear"]
    for step, beyond in enumerate(("last", "mirror", "repeat"), 4):
        page.select_option("#n-beyond", beyond)
        carded.lands(step)
        ready(carded)
        found = [hue(carded, x, 0.5) for x in (-0.7, -0.2, 0.2, 0.7)]
        assert found == {**wanted, "mirror": ["red", "red", "red", "red"]}[beyond]


def test_it_moves_with_its_numbers_and_is_taken_off(carded: Studio) -> None:
    page = carded.page
    page.click('.channel[data-address="card/look.picture.x"]')
    expect(page.locator(".trail strong")).to_contain_text("picture x")
    page.keyboard.press("k")
    carded.lands(3)
    page.evaluate("() => window.lazzik.transport.go(100)")
    page.keyboard.press("k")
    carded.lands(4)
    page.fill(".knob.base-value input", "0.6")
    page.press(".knob.base-value input", "Enter")
    carded.lands(5)
    ready(carded)
    for frame, seen in ((0, "blue"), (100, "red")):
        page.evaluate("frame => window.lazzik.transport.go(frame)", frame)
        page.wait_for_function("n => window.lazzik.stage.frame === n && !window.lazzik.stage.waiting", arg=frame)
        assert hue(carded, 0.3, 0.5) == seen
    page.keyboard.press("s")
    page.select_option("#n-picture", "")
    carded.lands(6)
    page.wait_for_function("() => !window.lazzik.stage.nodes.get('card').mesh.material.map")
    assert "picture" not in node_of(carded, "card")["look"]


def test_a_webp_becomes_png_and_a_damaged_one_a_sentence(small: Studio) -> None:
    page = small.page
    page.keyboard.press("a")
    page.set_input_files("#bring-file", {"name": "bad.png", "mimeType": "", "buffer": card()["buffer"][:60]})
    expect(page.locator(".sheet-dialog .field-error")).to_contain_text("picture that can be read")
    page.set_input_files("#bring-file", card("WEBP"))
    small.lands(1)
    ready(small)
    page.evaluate("() => window.lazzik.choose('post/shape')")
    expect(page.locator(".trail strong")).to_have_text("shape")
    with page.expect_file_chooser() as chooser:
        page.select_option("#n-picture", "surface …")
    chooser.value.set_files(card("JPEG"))
    small.lands(2)
    ready(small)
    assert node_of(small)["look"]["picture"]["label"] == "Card"


def test_it_is_in_a_film_from_its_first_frame_and_moves_there(carded: Studio, tmp_path: Path) -> None:
    page = carded.page
    moved = [
        {"do": "put-key", "address": "card/look.picture.x", "frame": frame, "value": value, "go": "linear"}
        for frame, value in ((0, 0.0), (2, 1.0))
    ]
    stored(f"{page.url.split('?')[0]}/edits", {"revision": 2, "edits": moved})
    page.reload()
    carded.ready()
    ready(carded)
    page.click(".steps a:has-text('Deliver')")
    page.select_option("#film-form [name=form]", "png")
    for name, value in (("first", "0"), ("last", "2"), ("width", "160"), ("height", "90")):
        page.fill(f"#film-form [name={name}]", value)
    with page.expect_download() as started:
        page.click("text=Make the film")
    started.value.save_as(tmp_path / "film.zip")
    shares = []
    with zipfile.ZipFile(tmp_path / "film.zip") as archive:
        for frame in range(3):
            dots = np.asarray(Image.open(io.BytesIO(archive.read(f"frame-{frame:05}.png"))).convert("RGB")).astype(int)
            r, g, b = np.moveaxis(dots, -1, 0)
            shares.append(((r > 1.6 * b) & (r > 1.6 * g)).sum() / max(1, ((b > 1.6 * r) & (b > 1.6 * g)).sum()))
    assert shares[0] == pytest.approx(1, abs=0.2)  # as much red as blue
    assert (shares[1] > 2, shares[2]) == (True, 0)  # half of its width on, all that is left is red; then nothing is
