"""Pins that are painted onto cloth."""

from __future__ import annotations

from typing import Annotated, Any

import numpy as np
from fastapi import APIRouter, Response
from pydantic import BaseModel

from lazzik.core.deformers.masks import WeightsMask
from lazzik.core.geometry.assets import unpack_weights
from lazzik.core.scene.edits.cloths import cloth_of, paint_pin
from lazzik.web.deps import Store
from lazzik.web.requests.bodies import body_of
from lazzik.web.requests.fields import Revision
from lazzik.web.ui.encode import floats, packed, weights_in

router = APIRouter(prefix="/scenes/{scene_id}")


class PaintedPin(BaseModel):
    """Weights that were painted onto cloth, made on a revision."""

    revision: Revision
    node: str
    pin: str = ""
    """The pin that they are of; '' for a new one."""
    weights: str
    """Base64 of float32, one for each point of the mesh."""


@router.post("/paint-pin")
def painted(scene_id: str, body: Annotated[PaintedPin, body_of(PaintedPin)], store: Store) -> dict[str, Any]:
    """Hold cloth where weights were painted over a half."""
    weights = weights_in(body.weights)
    with store.aside() as assets:
        scene = store.at(scene_id, body.revision).with_assets(assets)
        edit = paint_pin(scene, body.node, body.pin, weights)
    return store.edit(scene_id, body.revision, [edit]).answer


@router.get("/pin-weights")
def weights_there(scene_id: str, node: str, store: Store, pin: str = "") -> Response:
    """What is painted of a pin, one for each point of the mesh; 0 for one that is not there yet, or is not painted."""
    scene = store.open(scene_id).scene
    owner, cloth = cloth_of(scene, node)
    assert owner.shape is not None
    mask = found.mask if (found := cloth.pin(pin)) is not None else None
    weights = np.zeros(len(owner.shape.mesh(scene.assets).points))
    if isinstance(mask, WeightsMask):
        kept = scene.assets.read(mask.asset, unpack_weights)
        weights = kept if len(kept) == len(weights) else weights
    return packed({"node": owner.id, "weights": floats(weights)})
