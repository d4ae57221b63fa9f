"""Reasons in words: a sentence for each, and what the button says that mends it."""

from __future__ import annotations

import json
from dataclasses import dataclass

from lazzik.core.diagnose.reason import Reason
from lazzik.core.scene.edits.shapes import ChangeShape

SENTENCES = {
    "aimed": (
        "{name} is turned by its aim: what its rotation has as base does not count, only its layers.", "Mute the aim",
    ),
    "aims-still": ("{name} aims at {target}, and neither of them moves.", ""),
    "all-held": ("All points of {name} are held, so none is left that could give way.", ""),
    "baked": ("{name} was switched off when it was baked to keys.", "Take the bake back"),
    "beyond": (
        "The {number} of {name} is {value:g}{unit}, beyond its usual {low:g} to {high:g}{unit}: it may look mad.",
        "Set it to {better:g}",
    ),
    "carries-nothing": ("{name} moves only what is carried, and nothing is: add particles or cloth.", ""),
    "changes-nothing": ("{name} changes nothing here: what lies below is already as it would make it.", ""),
    "clamped": ("It would go to {extreme:.3g}{unit}, and is kept at {limit:g}{unit}, its limit.", ""),
    "clear": ("The particles of {name} are clear all their life: raise a point of their colour.", "Let them be seen"),
    "comes-late": (
        "The particles of {name} begin to come on frame {start:g}, beyond the range, which ends on {last:g}.",
        "Let them begin with the range",
    ),
    "coarse": (
        "The mesh of {object} is too coarse for {name}: about {segments:.1f} segments where {wanted} look smooth.", "",
    ),
    "covered": ("{cover} lies above and takes the place of {name}.", "Let {cover} add"),
    "crowded": (
        "{count:,.0f} particles of {name} would live at once; {most:,} do, and the others do not come.",
        "Let fewer come",
    ),
    "dark": ("{name} is dark.", "Set its intensity to 1"),
    "depends": ("{field} depends on {home} itself, so {name} leaves it out.", ""),
    "fills-nothing": ("{name} fills no object: choose one.", ""),
    "falls-free": ("{name} falls and meets nothing: it falls out of sight.", "Let it float"),
    "falls": ("{name} is held nowhere and falls on nothing: it falls out of sight.", "Hold its top edge"),
    "few-points": ("The mesh of {name} has {count:.0f} points, too few to give way: cut it more finely.", ""),
    "far": ("{field} reaches {outer:.3g} m, and {name} is {away:.3g} m away.", "Let {field} reach everywhere"),
    "hangs-still": ("Nothing moves {name}: the air is still for it, and so is what holds it.", ""),
    "in-still-air": ("The air leaves {name} alone, whatever blows.", "Let the air move it"),
    "hidden": ("{name} is hidden.", "Show it"),
    "holds-none": (
        "Nothing of {source} is wide enough for particles that are {spacing:g} m apart: {name} is empty.",
        "Let them be nearer to each other",
    ),
    "idle": ("The {number} of {name} is {value:g}.", "Set it to {better:g}"),
    "locked": ("{name} is locked to a run that was made: what is changed about how they go does not show.", "Unlock"),
    "masked": ("The mask of {name} leaves nothing of it.", "Take the mask off"),
    "muted": ("{name} is muted.", "Unmute"),
    "no-aim": ("{name} aims at nothing.", ""),
    "no-air": ("{name} answers the air, and nothing moves it.", "Add a wind"),
    "no-copies": ("{source} has no shape of which copies could be drawn.", "Draw them as puffs"),
    "no-deformers": ("{name} has no deformers.", "Add a bend"),
    "no-emitter": ("{name} sends out nothing.", ""),
    "no-field": ("{name} does not move the air.", ""),
    "no-keys": ("{name} repeats what is keyed, and the base has fewer than two keys.", ""),
    "no-reach": ("{name} reaches 0 m, so nowhere.", "Let it reach everywhere"),
    "nothing-below": ("{name} answers to motion, and nothing below it moves.", "Move it to the top"),
    "nothing-shaped": ("Nothing that lies below {name} has a shape.", ""),
    "out-of-reach": ("The span of {name} does not reach {object}.", "Span all of it"),
    "overfull": (
        "{source} is filled by far more particles than can be worked out, {spacing:g} m apart as they are.",
        "Let them be farther apart",
    ),
    "pins-nothing": ("No point of the mesh is where {name} would hold it.", "Take the pin away"),
    "points-still": ("{name} moves no point by more than {moved:.2g} m, too little to be seen.", ""),
    "problem": ("{text}.", ""),
    "reads-still": ("What {name} reads, {source}, does not change, and gives what is there already.", ""),
    "round": ("A {shape} looks the same however it is turned about {axis}.", "Turn it about z"),
    "shape-baked": ("{name} was switched off when the shape was baked.", "Take the bake back"),
    "shrunk": ("{name} is scaled to nothing along {axis}.", "Set it to 1"),
    "shut": (
        "The window of {name} runs from {start} to {end}, outside the range {first} to {last}.", "Open the window",
    ),
    "silenced": ("{others} is soloed, which silences {name}.", "End the solo"),
    "softened-twice": (
        "{name} is cloth, and {other} acts on it as it hangs: it {does}, while cloth is moved point by point.", "",
    ),
    "stiff": (
        "{name} swings {value:g} times a second, faster than the frames can show ({limit:g}).", "Set it to 2 Hz",
    ),
    "stirs-carried": ("{field} moves only what is carried by the air, not {name}.", "Let it move all"),
    "too-deep": (
        "{name} lies {layers:.0f} layers deep: those at the bottom give way under the others.",
        "Let them be farther apart",
    ),
    "too-little": (
        "{name} moves the number by at most {peak:.2g}{unit}, too little to be seen.", "Set its {number} to {larger:g}",
    ),
    "unanswered": ("Nothing answers the air yet: choose objects and let them stand in the wind.", ""),
    "unlooped": ("{name} repeats, and {field} does not repeat with it.", "Loop the whole scene"),
    "unmet": ("{name} loops, and its {number} does not end as it begins.", ""),
    "unmoved": ("It has no layers{keyed}", "Add noise"),
    "weightless": ("The weight of {name} is 0.", "Set the weight to 1"),
    "zero-below": ("{name} multiplies what lies below, and that is 0 throughout.", "Let it add"),
}  # fmt: skip


@dataclass(frozen=True, kw_only=True)
class ReasonView:
    """A reason as the sheet says it."""

    text: str
    mend: str
    """What the button says; '' if only the person can mend it."""
    edits: str
    """What it does, as JSON."""


def reason_view(reason: Reason) -> ReasonView:
    """A reason in words."""
    sentence, button = SENTENCES[reason.code]
    values: dict[str, str | float] = dict(reason.values)
    if "number" in values:
        values["number"] = str(values["number"]).replace("_", " ")
    if reason.code == "shut":
        values["start"] = "the beginning" if values["start"] == float("-inf") else f"{values['start']:g}"
        values["end"] = "the end" if values["end"] == float("inf") else f"{values['end']:g}"
    if reason.code == "unmoved":
        values["keyed"] = ", and one key alone makes no motion." if values["keys"] else " and no keys."
    text, mend = sentence.format(**values), button.format(**values) if reason.edits else ""
    if reason.code == "nothing-below" and not reason.edits:
        text += " Key the base, or put a layer that moves below it."
    if reason.code == "coarse" and reason.edits:
        (edit,) = reason.edits
        assert isinstance(edit, ChangeShape)
        mend = "Set " + ", ".join(f"{name.replace('_', ' ')} {count}" for name, count in edit.fields.items())
    edits = [{"do": edit.do} | edit.model_dump(mode="json", exclude_unset=True) for edit in reason.edits]
    return ReasonView(text=text, mend=mend, edits=json.dumps(edits))
