"""A refusal is said, a mistake of ours stays one."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from tests.serving import Server

pytestmark = pytest.mark.browser

TRIED = """async () => {
  const { guard } = await import("lazzik/lib/guard.js");
  const { Refused } = await import("lazzik/lib/api.js");
  const said = [];
  const refused = async () => { throw new Refused(422, "Not so."); };
  const given = await guard(async () => 7);
  const told = await guard(refused, (sentence) => said.push(sentence));
  await guard(refused);
  const ours = await guard(async () => { throw new TypeError("ours"); }).catch((error) => error.message);
  return [given, told ?? null, said, ours];
}"""


def test_a_refusal_is_said_where_it_is_wanted_and_else_as_a_message(page: Page, server: Server) -> None:
    page.goto("/scenes")
    assert page.evaluate(TRIED) == [7, None, ["Not so."], "ours"]
    expect(page.locator("#toasts")).to_contain_text("Not so.")
