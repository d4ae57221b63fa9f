"""What the head says of steps that take long, or that are not stored."""

from __future__ import annotations

import json

from playwright.sync_api import Route, expect

from tests.browser.conftest import Studio, until_asked

NEWS = {"id": "long", "label": "Add noise", "state": "running", "share": 0.4, "said": "", "file": False, "details": []}


def test_a_full_disk_is_told_in_the_head_until_a_step_is_stored_again(small: Studio) -> None:
    page = small.page
    full = {"error": "There is no room left on the disk, so nothing was stored.", "where": ""}
    page.route("**/edits", lambda route: route.fulfill(status=507, json=full))
    page.click("#add-layer")
    page.click("[data-add=noise]")
    expect(page.locator("#saved.unsaved")).to_have_text("Not saved · disk full")
    expect(page.locator(".toast")).to_contain_text("no room left")
    page.unroute("**/edits")
    page.click("#add-layer")
    page.click("[data-add=noise]")
    small.lands(1)
    expect(page.locator("#saved.unsaved")).to_have_count(0)


def test_a_server_that_does_not_answer_is_told_there_too(small: Studio) -> None:
    page = small.page
    page.route("**/edits", lambda route: route.abort())
    page.click("#add-layer")
    page.click("[data-add=noise]")
    expect(page.locator("#saved.unsaved")).to_have_text("Not saved · no answer")


def test_a_step_that_takes_long_shows_how_far_it_is_and_then_lands(small: Studio) -> None:
    """The step itself is real; what the server would say of it while it takes long is said here."""
    page = small.page
    stored: list[str] = []
    waiting: list[Route] = []

    def long(route: Route) -> None:
        stored.append(route.fetch().text())
        route.fulfill(status=202, json=NEWS)

    page.route("**/edits", long)
    page.route("**/jobs/long/events", lambda route: waiting.append(route))
    page.route("**/jobs/long/result", lambda route: route.fulfill(body=stored[0], content_type="application/json"))
    page.click("#add-layer")
    page.click("[data-add=noise]")
    job = page.locator("#jobs .job")
    expect(job).to_contain_text("Add noise")
    expect(job.locator("button")).to_have_text("Stop")
    card, stage = job.bounding_box(), page.locator("#stage").bounding_box()
    assert card
    assert stage
    assert stage["y"] < card["y"] < card["y"] + card["height"] < stage["y"] + stage["height"]  # no number is covered
    under = "([x, y]) => document.elementFromPoint(x, y).id"
    assert page.evaluate(under, [card["x"] + 30, card["y"] + card["height"] / 2]) == "canvas"
    assert page.inner_text("#saved") == "Saving …"
    until_asked(page, waiting)
    over = json.dumps(NEWS | {"state": "done", "share": 1.0})
    waiting[0].fulfill(body=f"data: {over}\n\n", content_type="text/event-stream")
    small.lands(1)
    expect(job).to_have_count(0)
    assert small.lanes() == ["Noise"]


def test_one_that_can_no_longer_land_says_why(small: Studio) -> None:
    page = small.page
    page.route("**/edits", lambda route: route.fulfill(status=202, json=NEWS))
    failed = json.dumps(NEWS | {"state": "failed", "said": "While this was worked out, Post became another."})
    body = f"data: {failed}\n\n"
    page.route("**/jobs/long/events", lambda route: route.fulfill(body=body, content_type="text/event-stream"))
    page.click("#add-layer")
    page.click("[data-add=noise]")
    expect(page.locator(".toast")).to_contain_text("Post became another")
    expect(page.locator("#saved")).to_have_text("Saved · step 0")
