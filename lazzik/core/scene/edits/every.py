"""Every edit, as one union: the HTTP interface, the command line and the tests use the same commands."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from typing import Annotated

from pydantic import ConfigDict, Field, TypeAdapter, ValidationError

from lazzik.core.arithmetic import PLAIN, Measure
from lazzik.core.document import Measures
from lazzik.core.errors import InvalidEdit, UnknownAddress, plain
from lazzik.core.scene.address import find_at
from lazzik.core.scene.edits.aims import AimAt, ChangeAim, RemoveAim
from lazzik.core.scene.edits.air import ChangeField, StandInWind
from lazzik.core.scene.edits.bakes import BakeAgain, PlaceBake, TakeBack
from lazzik.core.scene.edits.base import Edit
from lazzik.core.scene.edits.clips import PlayClip, PutClip, RemoveClip
from lazzik.core.scene.edits.cloths import AddPin, ChangeCloth, ChangePin, Drape, RemovePin, Undrape
from lazzik.core.scene.edits.copies import Duplicate, SetPivot
from lazzik.core.scene.edits.dials import AddDial, ChangeDial, RemoveDial
from lazzik.core.scene.edits.emitters import AddEmitter, ChangeEmitter
from lazzik.core.scene.edits.from_shelf import PutLook, TakeFromShelf
from lazzik.core.scene.edits.hierarchy import GroupObjects, HangObjects, Ungroup
from lazzik.core.scene.edits.keys import (
    MoveKeys,
    PasteKeys,
    RemoveKeys,
    ScaleKeys,
    ShapeKeys,
    SmoothKeys,
    SnapKeys,
    ThinKeys,
)
from lazzik.core.scene.edits.marks import AddMark, ChangeMark, RemoveMark
from lazzik.core.scene.edits.moves import Orbit, Pan
from lazzik.core.scene.edits.object_recipes import (
    ChangeObjectRecipe,
    FollowObjectRecipe,
    PartObjectRecipe,
    PutObjectRecipe,
    RemoveObjectRecipe,
    SaveObjectRecipe,
    UpdateObjectRecipe,
)
from lazzik.core.scene.edits.objects import AddObject, BringIn, ChangeObject, RemoveObject
from lazzik.core.scene.edits.pictures import BringPicture, ChangePicture, PutPicture
from lazzik.core.scene.edits.poses import PlacePose, RemovePose, SavePose
from lazzik.core.scene.edits.put_deformers import PutDeformers
from lazzik.core.scene.edits.recipes import (
    ChangeRecipe,
    ExposeNumber,
    KeepSheaf,
    PutRecipe,
    RemoveRecipe,
    SaveRecipe,
)
from lazzik.core.scene.edits.scatters import AddScatter, ChangeScatter, TakeCopies
from lazzik.core.scene.edits.shapes import (
    AddDeformer,
    ChangeDeformer,
    ChangeShape,
    MoveDeformer,
    PlaceShapeBake,
    RemoveDeformer,
    SetShape,
    TakeBackShape,
)
from lazzik.core.scene.edits.sheaves import ChangeSheaf, GatherSheaf, JoinSheaf, LeaveSheaf, MoveSheaf, PartSheaf
from lazzik.core.scene.edits.stacks import SetLoop
from lazzik.core.scene.edits.stagger import Stagger
from lazzik.core.scene.edits.swarms import ChangeSwarm, Pour
from lazzik.core.scene.edits.together import OnNumbers, Together
from lazzik.core.scene.edits.whole import ChangeScene
from lazzik.core.scene.scene import Scene

AnyEdit = Annotated[
    OnNumbers
    | MoveKeys
    | ScaleKeys
    | SnapKeys
    | ShapeKeys
    | RemoveKeys
    | ThinKeys
    | SmoothKeys
    | PasteKeys
    | SavePose
    | PlacePose
    | RemovePose
    | PutClip
    | PlayClip
    | RemoveClip
    | SetLoop
    | Stagger
    | Together
    | AddDial
    | ChangeDial
    | RemoveDial
    | SaveRecipe
    | PutRecipe
    | ChangeRecipe
    | ExposeNumber
    | RemoveRecipe
    | SaveObjectRecipe
    | PutObjectRecipe
    | UpdateObjectRecipe
    | ChangeObjectRecipe
    | FollowObjectRecipe
    | PartObjectRecipe
    | RemoveObjectRecipe
    | TakeFromShelf
    | PutLook
    | AddObject
    | BringIn
    | ChangeObject
    | RemoveObject
    | HangObjects
    | GroupObjects
    | Ungroup
    | AddDeformer
    | ChangeDeformer
    | RemoveDeformer
    | PutDeformers
    | MoveDeformer
    | ChangeShape
    | SetShape
    | PlaceShapeBake
    | TakeBackShape
    | Duplicate
    | SetPivot
    | PutPicture
    | BringPicture
    | ChangePicture
    | AimAt
    | ChangeAim
    | RemoveAim
    | ChangeField
    | StandInWind
    | AddScatter
    | ChangeScatter
    | TakeCopies
    | AddEmitter
    | ChangeEmitter
    | Drape
    | Undrape
    | ChangeCloth
    | AddPin
    | ChangePin
    | RemovePin
    | Pour
    | ChangeSwarm
    | Orbit
    | Pan
    | GatherSheaf
    | ChangeSheaf
    | MoveSheaf
    | JoinSheaf
    | LeaveSheaf
    | PartSheaf
    | KeepSheaf
    | AddMark
    | ChangeMark
    | RemoveMark
    | ChangeScene
    | PlaceBake
    | BakeAgain
    | TakeBack,
    Field(discriminator="do"),
]

EditRow = Annotated[list[AnyEdit], Field(min_length=1, max_length=1000)]
"""What is done as one step."""

_EDITS: TypeAdapter[list[AnyEdit]] = TypeAdapter(EditRow, config=ConfigDict(defer_build=True))


class _Measures:
    """How the numbers of a scene are measured (the protocol `Measures`)."""

    def __init__(self, scene: Callable[[], Scene]) -> None:
        self._of = scene

    @cached_property
    def scene(self) -> Scene:
        return self._of()

    def frames(self) -> Measure:
        return Measure("fr", self.scene.fps)

    def at(self, address: str) -> Measure:
        try:
            quantity = find_at(self.scene, address).quantity
        except UnknownAddress:  # made by an edit before this one, or nowhere: said when it is applied
            return PLAIN
        return Measure(quantity.unit, self.scene.fps, inverse=quantity.low > 0)


def measures_of(scene: Scene | Callable[[], Scene] | None) -> Measures | None:
    """The validation context in which numbers of edits may be typed with a unit: how those of a scene are measured."""
    if scene is None:
        return None
    return _Measures((lambda: scene) if isinstance(scene, Scene) else scene)


def read_edits(values: object, scene: Scene | Callable[[], Scene] | None = None) -> list[Edit]:
    """Edits from plain JSON values. Raises InvalidEdit or BadNumber, saying which field was wrong.

    `scene` is what they are for, or gives it if it is asked for: with it, numbers may be typed with a unit.
    """
    try:
        return list(_EDITS.validate_python(values, context=measures_of(scene)))
    except ValidationError as error:
        raise refused(error) from None


def refused(error: ValidationError, depth: int = 0) -> InvalidEdit:
    """What is wrong with a row of edits that stands `depth` fields deep in what was checked, as a sentence."""
    first = error.errors(include_url=False)[0]
    field = ".".join(str(part) for part in first["loc"][2 + depth :])
    sentence = plain(first["msg"])
    return InvalidEdit(f"{field}: {sentence}" if field else sentence[:1].upper() + sentence[1:], field)
