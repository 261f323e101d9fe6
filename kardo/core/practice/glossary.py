"""The trade's words that a first-year surveyor may not know: what each means, in one sentence, and who says so. The
hints on the screen, docs/glossary.md and the report's last page are made of it."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Entry:
    """A word, what it means, and the source; also: what else it is called, in American usage or in short; labels: of
    the fields on the screen that it explains, as they begin before their unit."""

    term: str
    says: str
    source: str
    also: str = ""
    labels: tuple[str, ...] = ()


ISO_CRS, ISO_WORDS, ISO_GNSS = "ISO 19111", "ISO 3534-1", "ISO 17123-8"
ACCURACY, FLIGHT, LASER = "docs/accuracy.md", "docs/flight.md", "docs/laser.md"

GLOSSARY = (
    Entry("adjust to control", "Which unknowns the points with known coordinates settle in a scan: one height, a shift, or the flight lines and the mounting as well.", LASER, labels=("Adjust to control",)),
    Entry("antenna height", "From the mark to the antenna's reference point. Read as a slant to the rim it is reduced to the vertical.", ACCURACY + ", section 6", labels=("Antenna height",)),
    Entry("antenna reference point", "The point of an antenna that heights are measured to, most often the middle of the underside of its mount.", "ANTEX 1.4", "ARP"),
    Entry("at the check points, as tested", "What a test at the check points shows. An error that map and checks share does not appear in it.", ACCURACY + ", section 4"),
    Entry("autonomous position", "A position by the receiver alone, without corrections: metres off, and all that is positioned from it is off by as much.", ACCURACY + ", section 6", "“here”"),
    Entry("camera tilt from nadir", "The angle between the camera's axis and the plumb line; 0 looks straight down.", FLIGHT, labels=("Camera tilt from nadir", "Forward tilt")),
    Entry("check point", "A point with coordinates of its own that nothing is fitted to, so that the map can be tested against it.", "ASPRS edition 2", "ICP, independent check point"),
    Entry("control point", "A point with known coordinates that the images or the scan are fitted to. A target is what lies on the ground there.", "ASPRS edition 2", "GCP, ground control point"),
    Entry("coordinate epoch", "The date to which coordinates refer in a frame whose points move with the plates.", ISO_CRS, labels=("Coordinate epoch",)),
    Entry("correction service", "A network of reference stations that sends corrections; the offset of its positions from the job's datum is shared by all that use it.", ISO_GNSS, "network RTK", labels=("Corrections from",)),
    Entry("cross lines", "Flight lines across the others, at another height where that is wanted: they hold the focal length and the doming down.", ACCURACY + ", section 3", labels=("Cross lines",)),
    Entry("datum realisation", "Which adjustment of the datum the coordinates come from: two realisations differ by centimetres.", ISO_CRS, labels=("Datum realisation",)),
    Entry("elevation mask", "The angle above the horizon below which a satellite is not used.", ISO_GNSS),
    Entry("ellipsoidal height", "The height above the reference ellipsoid, as satellites give it; the orthometric height plus the geoid separation.", ISO_CRS),
    Entry("extra lines each side", "Flight lines beyond the edge of the area, so that its edge is seen by as many images as its middle.", FLIGHT, labels=("Extra lines each side", "Extra images each end")),
    Entry("fixed and float", "Whether the whole number of carrier waves to each satellite is known (fixed, centimetres) or only estimated (float, decimetres).", ISO_GNSS),
    Entry("forward overlap", "How much of an image the next one along the line shows again, in per cent of its length.", FLIGHT, "endlap", labels=("Forward overlap",)),
    Entry("geoid separation", "The height of the geoid above the ellipsoid, N: the ellipsoidal less the orthometric height.", ISO_CRS, "geoid undulation", labels=("N",)),
    Entry("grid bearing", "The angle from grid north, clockwise; it differs from true north by the meridian convergence.", ISO_CRS, "grid azimuth", labels=("Course", "Wind from")),
    Entry("ground sample distance", "How far apart on the ground the middles of two neighbouring pixels are.", FLIGHT, "GSD"),
    Entry("height system", "What heights are counted from: the ellipsoid, or a levelled datum that a geoid model leads to.", ISO_CRS, "vertical datum", labels=("Height system",)),
    Entry("horizontal grid", "The projected coordinate system in which eastings and northings are given.", ISO_CRS, "map projection; state plane", labels=("Horizontal grid",)),
    Entry("lens calibration", "When and how focal length, principal point and distortion of this lens were last determined: what is not known well is estimated from the images, and costs accuracy in height.", ACCURACY + ", section 3", labels=("Lens calibration",)),
    Entry("mark", "A point on the ground that lasts and has coordinates.", ISO_GNSS, "monument; benchmark, where its height is levelled", labels=("Base stands on",)),
    Entry("maximum range", "How far the scanner still gets returns from ground of ordinary brightness.", LASER, labels=("Maximum range",)),
    Entry("minimum sun elevation", "How high the sun has to stand for images without long shadows.", FLIGHT, labels=("Minimum sun elevation",)),
    Entry("oblique lines", "Flight lines with the camera tilted forward: they tell height from focal length.", ACCURACY + ", section 3", labels=("Oblique lines", "Oblique lines across")),
    Entry("on the map, absolute", "How far the map is off in the job's datum, with everything that it shares with its checks.", ACCURACY + ", section 4"),
    Entry("pattern", "How flight lines are laid out: parallel over an area, along a line, round a building, or as drawn.", FLIGHT, labels=("Pattern",)),
    Entry("point identification", "How well a point can be told and pointed at, in the images and on the ground.", ACCURACY + ", section 10"),
    Entry("positioned from", "The base, the network or the instrument that coordinates come from, whose error they therefore share.", ACCURACY + ", section 4"),
    Entry("positioning per sortie", "The part of the positions' error that stays the same for a whole sortie.", ACCURACY + ", section 2"),
    Entry("post-processed kinematic", "Positions of the camera computed after the flight from logs of the aircraft and of a base.", ISO_GNSS, "PPK"),
    Entry("probability of passing", "Of a thousand surveys as planned, how many would pass the acceptance test, in per cent.", ACCURACY + ", section 5", labels=("Probability of passing wanted",)),
    Entry("real-time kinematic", "Positions to centimetres at once, by corrections that a base or a service sends.", ISO_GNSS, "RTK"),
    Entry("RMSE", "The root of the mean of squared errors: a constant error counts in it as well as scatter.", ISO_WORDS, "root mean square error", labels=("Tolerance H", "Tolerance V")),
    Entry("shutter speed", "The part of a second that a pixel is exposed: 1000 means 1/1000 s. Too slow, and the motion blurs the image.", FLIGHT, labels=("Shutter speed",)),
    Entry("side overlap", "How much of a flight line's images the next line shows again, in per cent of their width.", FLIGHT, "sidelap", labels=("Side overlap",)),
    Entry("sortie", "A flight on one battery, from take-off to landing.", FLIGHT, "leg"),
    Entry("standard deviation", "How far a value scatters about its mean: two in three lie within one, 95 % within two.", ISO_WORDS, "σ, 1 sigma", labels=("Standard deviation",)),
    Entry("target pattern", "What is painted or printed on the target, and so how well its middle is found in an image.", ACCURACY + ", section 2", labels=("Target pattern",)),
    Entry("trigger by", "Whether images are taken every so many metres or every so many seconds.", FLIGHT, labels=("Trigger by",)),
    Entry("unmodelled lens and shutter errors", "What distortion and a moving shutter leave in all images alike, beyond what a calibration takes out.", ACCURACY + ", section 10"),
    Entry("UTC offset", "Hours by which the site's clock is ahead of universal time.", "ISO 8601", labels=("UTC offset",)),
)  # fmt: skip
