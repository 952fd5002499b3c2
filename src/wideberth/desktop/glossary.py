"""The words of the craft as this program uses them, with the other names that practitioners have for the same thing."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Word:
    """also : what else it is called. steps : where it matters most."""

    word: str
    also: str
    means: str
    steps: tuple[str, ...] = ()

    @property
    def head(self) -> str:
        """The word with its other name: `tip (contact)`."""
        return f"{self.word} ({self.also})" if self.also else self.word


GLOSSARY = (
    Word("base", "raft", "what joins the feet of the supports and grips the plate", ("support",)),
    Word("bench", "profiles, settings", "printer, film, resin, settings and house rules that a job reckons with", ("bench",)),
    Word("blur", "", "how far the light's edge spreads sideways: it takes from thin tips, and closes narrow gaps", ("bench",)),
    Word("body", "", "all that is connected up to a layer and hangs together", ("predict",)),
    Word("chamber", "inner cavity", "a hollow space inside the shell", ("hollow", "drain")),
    Word("clearance", "tolerance, play", "by how much a socket is wider than its peg on each side", ("split",)),
    Word("cling", "drag-out", "resin that stays on the part when it leaves the vat", ("handover",)),
    Word("component", "", "one connected piece of a layer's section", ("predict",)),
    Word("cup", "what sucks", "a space that closes against the film, so that the lift has to pull a vacuum", ("drain", "orient")),
    Word("cured depth", "penetration", "how deep one exposure hardens resin, by its dose and the resin", ("bench",)),
    Word("dose", "exposure energy", "light per area: the printer's power times the seconds", ("bench",)),
    Word("drain hole", "", "lets resin out and air in; breaks a cup's vacuum", ("drain",)),
    Word("estimate", "", "what prints say of a coefficient of the bench, and how surely", ("log",)),
    Word("fit", "", "how a peg sits in its bore: jams, push-fit, for glue, or moves", ("split",)),
    Word("film", "release film", "the bottom of the vat, that every layer is peeled off", ("bench",)),
    Word("finding", "warning", "what the prediction has to say: how grave, where, and what would help", ("predict",)),
    Word("first layers", "bottom or burn-in layers", "the long exposed ones that grip the plate", ("bench",)),
    Word("foot", "", "where a post stands, on the plate or on the part", ("support",)),
    Word("gap", "lift-off height", "how high above the plate a part hangs on its supports", ("orient", "support")),
    Word("green strength", "", "what printed resin bears before it is cured; more light, more strength", ("bench", "support")),
    Word("gusset", "", "material inside a shell that carries what would begin in mid-liquid under its ceilings", ("hollow",)),
    Word("hold", "margin", "how many times its load the weakest tip or the plate can carry; under ×1 it lets go", ("predict",)),
    Word("house rules", "", "your own limits and weights: what counts as doubtful, how far apart parts stand", ("bench",)),
    Word("island", "", "a piece of a layer with nothing below it: without a tip it stays on the film", ("support",)),
    Word("key", "peg and socket", "what makes pieces go together one way only", ("split",)),
    Word("lattice", "infill", "bars inside a hollow part that stiffen it", ("hollow",)),
    Word("layer height", "layer thickness", "how far the plate rises from layer to layer", ("bench",)),
    Word("load cell", "", "feels how hard each layer pulls on the plate", ("log",)),
    Word("logbook", "", "every print beside what was expected of it", ("log",)),
    Word("mark", "scar", "what a tip leaves on a face, and what a face may carry of it", ("model", "orient", "support")),
    Word("narrow way", "", "a slit or bore of the model itself through which a space can breathe", ("drain",)),
    Word("neck", "", "the thinnest section that carries what hangs below it", ("predict",)),
    Word("peel", "", "force that pulls a layer off the film, along the front that moves across it", ("predict", "orient")),
    Word("piece", "", "one of the parts that a model was cut into", ("split",)),
    Word("plate", "build platform", "what the part hangs from; also all that is printed in one go", ("plate",)),
    Word("plug", "", "closes a drain hole after the print", ("drain",)),
    Word("pose", "orientation", "which way up a part is printed, and its gap", ("orient",)),
    Word("post", "pillar, trunk", "what carries a tip down to the plate or the part", ("support",)),
    Word("pull", "peel and suction", "all that a layer has to be torn off the film with", ("predict", "orient")),
    Word("row", "", "the pitch at which layers are looked at; the finer, the truer", ("predict",)),
    Word("run", "", "one print of a plate, from the work before it to the work after it", ("plan",)),
    Word("sag", "", "how far a fresh layer bends where nothing is below it", ("support", "predict")),
    Word("section", "slice", "the solid area of a layer", ("predict",)),
    Word("settling", "rest", "the time that resin needs to flow back to its level under a part", ("bench", "predict")),
    Word("share", "", "the part of a layer's pull that falls on one tip", ("predict", "support")),
    Word("shell", "wall", "what is left of a part that was hollowed", ("hollow",)),
    Word("suction", "vacuum", "force that a cup's closed space adds to the peel", ("drain", "predict")),
    Word("tip", "contact", "where a support touches the part, and breaks off", ("support",)),
    Word("transition layers", "", "between the first exposure and the normal one", ("bench",)),
    Word("trap", "", "a space that is closed for good: what is in it stays liquid", ("drain", "hollow")),
    Word("variant", "", "another state of the same job, to compare with", ("predict",)),
    Word("vat", "tank", "holds the resin over the film", ("bench",)),
    Word("vent", "", "a second hole, higher up in the print, that lets air in while resin runs out", ("drain",)),
)  # fmt: skip


def words_of(step: str) -> str:
    """What the words of a step mean, a line each."""
    return "\n".join(f"{w.head}: {w.means}" for w in GLOSSARY if step in w.steps)


def head_of(word: str) -> str:
    """A word with its other name.

    Raises
    ------
    KeyError : for one that is not in the list.
    """
    return {w.word: w.head for w in GLOSSARY}[word]


def matching(text: str, told: tuple[tuple[str, str], ...]) -> list[tuple[str, str]]:
    """Entries in which every word of a text occurs, those first whose head begins with it."""
    wanted = text.casefold().split()
    hits = [(head, means) for head, means in told if all(w in f"{head} {means}".casefold() for w in wanted)]
    return sorted(hits, key=lambda entry: not entry[0].casefold().startswith(text.casefold().strip()))
