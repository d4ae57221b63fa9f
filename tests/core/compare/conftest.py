"""What the tests of comparing share."""

from __future__ import annotations

import pytest

from lazzik.core.scene.scene import Scene
from tests.core.compare.edits import part_of_the_demo


@pytest.fixture(scope="session")
def part(demo: Scene) -> Scene:
    """Some objects of the demo scene."""
    return part_of_the_demo(demo)
