"""What something in a file is likely to be, by the words that the file has for it. A guess: it is shown before anything
is taken."""

import re
from typing import get_args

from kardo.core.plan.site import FeatureKind

WORDS: tuple[tuple[FeatureKind, str], ...] = (
    ("power_line", r"power|pylon|overhead|cable|conductor|\bhv\b|\blv\b"),
    ("airspace", r"airspace|\bctr\b|\batz\b|\btma\b|no.?fly|flight restriction"),
    ("no_permission", r"no.?permission|private|refus|third.?party"),
    ("keep_out", r"keep.?out|exclusion|restricted|no.?entry|forbidden|out.?of.?bounds"),
    ("gate", r"\bgate|stile|cattle.?grid|entrance"),
    ("access", r"access|track|path|foot.?way|haul|ramp"),
    ("traffic", r"road|street|lane|highway|carriageway|rail|traffic"),
    ("tide", r"tid(e|al)|foreshore|inter.?tidal"),
    ("water", r"water|river|stream|brook|lake|pond|ditch|canal|reservoir|sea\b"),
    ("livestock", r"livestock|cattle|cow|sheep|pasture|paddock|horse"),
    ("low_growth", r"heather|bracken|crop|meadow|rushes"),
    ("canopy", r"tree|wood|forest|canopy|hedge|copse|orchard|scrub"),
    ("vehicle", r"vehicle|truck|parking|car.?park|plant\b"),
    ("obstacle", r"building|house|shed|barn|mast|tower|chimney|crane|wall|fence|obstacle|structure|silo|conveyor"),
    ("hazard", r"hazard|danger|edge|slurry|quicksand|mud|sink.?hole|drop|cliff"),
)


KINDS: tuple[FeatureKind, ...] = get_args(FeatureKind)


def kind_of(*words: str) -> FeatureKind:
    """The kind that words speak of, or are; a hazard where they say nothing that is known.

    >>> kind_of("Old hedge", "vegetation"), kind_of("33 kV overhead line"), kind_of("layer 7")
    ('canopy', 'power_line', 'hazard')
    """
    said = next((word for word in words if word in KINDS), None)
    if said is not None:
        return said
    text = " ".join(words).casefold().replace("_", " ")
    return next((kind for kind, pattern in WORDS if re.search(pattern, text)), "hazard")
