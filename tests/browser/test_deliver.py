"""Delivering in the browser: each format with its choices, and a film of three seconds drawn by the stage."""

from __future__ import annotations

import io
import re
import subprocess
import zipfile
from pathlib import Path

import imageio_ffmpeg
import numpy as np
from PIL import Image
from playwright.sync_api import Browser, Page, expect

from tests.browser.conftest import Studio
from tests.serving import stored


def test_formats_are_written_as_jobs(layered: Studio, tmp_path: Path) -> None:
    page = layered.page
    page.click(".steps a:has-text('Deliver')")
    for title, ending, head in (("glTF 2.0", "glb", b"glTF"), ("OpenUSD", "usdz", b"PK"), ("Outlines", "svg", b"<svg")):
        with page.expect_download() as started:
            page.click(f"text=Write {title}")
        assert started.value.suggested_filename == f"small.{ending}"
        started.value.save_as(tmp_path / f"small.{ending}")
        assert (tmp_path / f"small.{ending}").read_bytes().startswith(head)
    expect(page.locator(".job[data-state=done]")).to_have_count(3)
    report = page.locator(".job", has_text="glTF 2.0 of Small")
    expect(report.locator(".said")).to_contain_text("keys in 1 tracks")
    report.locator("summary").click()
    expect(report.locator("details li")).to_have_count(1)
    expect(report.locator("details li")).to_contain_text("° off")
    page.fill("[data-format=svg] [name=every]", "0")
    page.click("text=Write Outlines")
    expect(page.locator("[data-format=svg] .field-error")).to_contain_text("greater than or equal to 1")


def test_a_film_of_three_seconds_is_drawn_and_can_be_stopped(layered: Studio, tmp_path: Path) -> None:
    page = layered.page
    page.click(".steps a:has-text('Deliver')")
    page.fill("#film-form [name=last]", "89")
    page.fill("#film-form [name=width]", "160")
    page.fill("#film-form [name=height]", "90")
    with page.expect_download() as started:
        page.click("text=Make the film")
    file = tmp_path / "small.webm"
    started.value.save_as(file)
    frames, seconds = imageio_ffmpeg.count_frames_and_secs(str(file))
    assert frames == 90
    assert abs(seconds - 3) < 0.1
    decode = [imageio_ffmpeg.get_ffmpeg_exe(), "-loglevel", "error", "-i", str(file)]
    raw = subprocess.run([*decode, "-f", "rawvideo", "-pix_fmt", "rgb24", "-"], capture_output=True, check=True).stdout
    pictures = np.frombuffer(raw, np.uint8).reshape(90, 90, 160, 3).astype(int)
    assert max(np.abs(a - pictures[0]).max() for a in pictures[1:]) > 60
    page.fill("#film-form [name=width]", "wide")
    page.click("text=Make the film")
    expect(page.locator("#film-form .field-error")).to_contain_text("width must be a whole number from 16 to 4096")
    page.fill("#film-form [name=width]", "640")
    page.fill("#film-form [name=height]", "360")
    page.click("text=Make the film")
    page.locator(".job >> text=Stop").click()
    expect(page.locator(".job[data-state=stopped]")).to_contain_text("nothing was kept")


def test_motion_blur_mixes_moments_of_a_frame(small: Studio, tmp_path: Path) -> None:
    page = small.page
    edits = [
        {"do": "put-key", "address": "post/rotation.z", "frame": 0, "value": 0, "go": "linear"},
        {"do": "put-key", "address": "post/rotation.z", "frame": 10, "value": 300, "go": "linear"},
    ]
    stored(f"{page.url.split('?')[0]}/edits", {"revision": 0, "edits": edits})
    page.click(".steps a:has-text('Deliver')")
    page.select_option("#film-form [name=form]", "png")
    page.fill("#film-form [name=first]", "2")
    page.fill("#film-form [name=last]", "3")
    page.fill("#film-form [name=width]", "160")
    page.fill("#film-form [name=height]", "90")
    shades = {}
    for blur in ("1", "8"):
        page.fill("#film-form [name=blur]", blur)
        with page.expect_download() as started:
            page.click("text=Make the film")
        started.value.save_as(tmp_path / f"{blur}.zip")
        with zipfile.ZipFile(tmp_path / f"{blur}.zip") as archive:
            assert len(archive.namelist()) == 2
            picture = Image.open(io.BytesIO(archive.read("frame-00002.png"))).convert("RGB")
        red = np.asarray(picture).astype(int)
        shades[blur] = len(np.unique(red.reshape(-1, 3), axis=0))
    assert shades["8"] > 1.5 * shades["1"]


def test_a_page_for_review_plays_without_a_network_and_its_remarks_come_back(
    small: Studio, browser: Browser, tmp_path: Path
) -> None:
    page = small.page
    url = page.url.split("?")[0]
    post: dict[str, object] = {"do": "add-layer", "address": "post/rotation.z", "kind": "wave"}
    stored(f"{url}/edits", {"revision": 0, "edits": [post]})
    assert page.request.post(f"{url}/versions", data={"revision": 1, "name": "Calm", "note": ""}).ok
    wilder = {"do": "set", "address": "post/rotation.z#wave.amplitude", "value": 40}
    stored(f"{url}/edits", {"revision": 1, "edits": [wilder]})
    page.goto(f"{url}/deliver")
    form = page.locator("[data-format=page]")
    form.locator("text=Calm").click()
    with page.expect_download() as begun:
        form.locator("[type=submit]").click()
    file = tmp_path / "small.html"
    begun.value.save_as(file)

    context = browser.new_context(viewport={"width": 1280, "height": 800}, offline=True)
    review = context.new_page()
    problems: list[str] = []
    review.on("pageerror", lambda error: problems.append(str(error)))
    review.on("console", lambda said: problems.append(said.text) if said.type == "error" else None)
    review.on("request", lambda r: problems.append(r.url) if not r.url.startswith(("file:", "blob:")) else None)
    review.goto(file.as_uri())
    review.wait_for_selector("body[data-ready]")
    turned = "() => window.review.seen().map(shown => shown.root.getObjectByName('Post').quaternion.z)"
    review.evaluate("window.review.go(12)")
    review.wait_for_function(f"() => Math.abs(({turned})()[0]) > 0.01")
    review.check("#beside")
    review.click("#versions button >> nth=1")
    review.wait_for_function("() => window.review.seen().length === 2")
    review.evaluate("window.review.go(13)")
    review.wait_for_function(f"() => {{ const [a, b] = ({turned})(); return Math.abs(a) > 2 * Math.abs(b); }}")
    review.click("#play")
    review.wait_for_function("() => window.review.frame() > 16")
    review.click("#play")
    end = int(review.inner_text("#of").split()[1])
    review.uncheck("#loop")
    review.select_option("#speed", "0.5")
    review.evaluate(f"window.review.go({end - 2})")
    review.click("#play")
    expect(review.locator("#play")).to_have_text("Play")  # it stopped by itself, at the end
    assert review.evaluate("window.review.frame()") == end
    _turned_and_full(review)
    review.check("#loop")
    review.evaluate(f"window.review.go({end - 2})")
    review.click("#play")
    review.wait_for_function(f"() => window.review.frame() < {end // 2}")
    review.click("#play")
    expect(review.locator("#play")).to_have_text("Play")
    review.fill("#frame", "35")
    review.press("#frame", "Enter")
    review.fill("#remark", "Too eager here.")
    review.click("text=Add at this frame")
    review.fill("#by", "Ada")
    with review.expect_download() as saved:
        review.click("#save")
    remarks = tmp_path / "remarks.json"
    saved.value.save_as(remarks)
    assert problems == []
    context.close()

    page.goto(url)
    studio = Studio(page).ready()
    with page.expect_file_chooser() as chooser:
        page.keyboard.press("Control+k")
        page.keyboard.type("Open remarks")
        page.keyboard.press("Enter")
    chooser.value.set_files(remarks)
    studio.lands(3)
    expect(page.locator("#ruler .mark")).to_have_attribute(
        "aria-label", re.compile("Remark by Ada, frame 35: Too eager")
    )


def _turned_and_full(review: Page) -> None:
    """Drag the scene round, and let it have the whole screen and leave it."""
    eye = "() => window.review.camera.position.toArray()"
    before = review.evaluate(eye)
    box = review.locator("canvas").bounding_box()
    assert box is not None
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    review.mouse.move(x, y)
    review.mouse.down()
    review.mouse.move(x + 160, y, steps=4)
    review.mouse.up()
    review.wait_for_function(
        f"before => {{ const now = ({eye})(); return Math.hypot(now[0] - before[0], now[2] - before[2]) > 0.2; }}",
        arg=before,
    )
    review.click("#full")
    review.wait_for_function("() => document.fullscreenElement?.tagName === 'MAIN'")
    review.click("#full")
    review.wait_for_function("() => document.fullscreenElement === null")
