"""Labelled file names in many naming habits, invented: the corpus the recogniser of map families is measured
on.
"""

import random
from collections.abc import Callable, Iterator
from dataclasses import dataclass

Truth = tuple[tuple[str, str, bool], ...]
"""(input, channels, turned over) of every input an image fills."""

THINGS = (
    "curtain",
    "curtain lining",
    "wing flat left",
    "proscenium",
    "lacquered board",
    "brass footlight",
    "glass chimney",
    "wax candle",
    "paper laurel",
    "puppet",
    "puppet arm",
    "red coat",
    "trunk lid",
    "trunk label",
    "winch drum 02",
    "winch handle",
    "stage floor",
    "rough plank",
    "metal hook",
    "normal crate",
    "color wheel",
    "gold trim",
    "rope coil",
    "lantern 3",
    "sky backdrop",
    "mask of pulcino",
    "height gauge",
    "old mirror",
)


def _t(*fills: tuple[str, str] | tuple[str, str, bool]) -> Truth:
    return tuple((f[0], f[1], f[2] if len(f) > 2 else False) for f in fills)


COLOR, METAL, ROUGH, GLOSS, NORMAL = (
    _t(("base_color", "rgb")),
    _t(("metalness", "r")),
    _t(("roughness", "r")),
    _t(("roughness", "r", True)),
    _t(("normal", "rgb")),
)
HEIGHT, OCCLUSION, OPACITY, EMISSION, SPECULAR = (
    _t(("height", "r")),
    _t(("occlusion", "r")),
    _t(("opacity", "r")),
    _t(("emission", "rgb")),
    _t(("specular_color", "rgb")),
)
COAT, COAT_ROUGH, SHEEN, THROUGH = (
    _t(("clearcoat", "r")),
    _t(("clearcoat_roughness", "r")),
    _t(("sheen_color", "rgb")),
    _t(("transmission", "r")),
)


@dataclass(frozen=True)
class Habit:
    """How someone names files: the words for each kind, and how words and thing are put together."""

    name: str
    kinds: tuple[tuple[str, Truth], ...]
    write: Callable[[str, str, random.Random], str]


def _camel(thing: str) -> str:
    return "".join(word.capitalize() for word in thing.split())


def _under(thing: str) -> str:
    return thing.replace(" ", "_")


HABITS = (
    Habit(
        "long words after the thing",
        (
            ("basecolor", COLOR),
            ("metallic", METAL),
            ("roughness", ROUGH),
            ("normal", NORMAL),
            ("height", HEIGHT),
            ("ambient_occlusion", OCCLUSION),
        ),
        lambda t, k, r: f"{_under(t)}_{k}.png",
    ),
    Habit(
        "capitals run together",
        (
            ("BaseColor", COLOR),
            ("Metalness", METAL),
            ("Roughness", ROUGH),
            ("Normal", NORMAL),
            ("EmissiveColor", EMISSION),
            ("Opacity", OPACITY),
        ),
        lambda t, k, r: f"{_camel(t)}{k}.tga",
    ),
    Habit(
        "one letter, with a prefix",
        (("D", COLOR), ("N", NORMAL), ("R", ROUGH), ("H", HEIGHT), ("E", EMISSION)),
        lambda t, k, r: f"T_{_camel(t)}_{k}.tga",
    ),
    Habit(
        "packed by letters",
        (
            ("BC", COLOR),
            ("N", NORMAL),
            ("ORM", _t(("occlusion", "r"), ("roughness", "g"), ("metalness", "b"))),
        ),
        lambda t, k, r: f"T_{_camel(t)}_{k}.png",
    ),
    Habit(
        "packed in another order, with height",
        (
            ("col", COLOR),
            ("nrm", NORMAL),
            ("rmah", _t(("roughness", "r"), ("metalness", "g"), ("occlusion", "b"), ("height", "a"))),
        ),
        lambda t, k, r: f"{_under(t)}_{k}.tif",
    ),
    Habit(
        "packed, written out",
        (
            ("Albedo", COLOR),
            ("NormalGL", NORMAL),
            ("OcclusionRoughnessMetallic", _t(("occlusion", "r"), ("roughness", "g"), ("metalness", "b"))),
        ),
        lambda t, k, r: f"{_camel(t)}_{k}_2k.png",
    ),
    Habit(
        "gloss in the alpha of metalness",
        (
            ("AlbedoTransparency", _t(("base_color", "rgb"), ("opacity", "a"))),
            ("MetallicSmoothness", _t(("metalness", "r"), ("roughness", "a", True))),
            ("Normal", NORMAL),
            ("Emission", EMISSION),
        ),
        lambda t, k, r: f"{_camel(t)}_{k}.png",
    ),
    Habit(
        "gloss in the alpha of colour",
        (
            ("ColorGloss", _t(("base_color", "rgb"), ("roughness", "a", True))),
            ("NormalMap", NORMAL),
            ("MetallicMap", METAL),
        ),
        lambda t, k, r: f"{_camel(t)}-{k}.png",
    ),
    Habit(
        "specular and gloss",
        (
            ("diffuse", COLOR),
            ("specular", SPECULAR),
            ("glossiness", GLOSS),
            ("normal", NORMAL),
            ("displacement", HEIGHT),
        ),
        lambda t, k, r: f"{t.replace(' ', '-')}-{k}.jpg",
    ),
    Habit(
        "specular and gloss, short",
        (
            ("dif", COLOR),
            ("spc", SPECULAR),
            ("gls", GLOSS),
            ("nor", NORMAL),
            ("disp", HEIGHT),
            ("ao", OCCLUSION),
        ),
        lambda t, k, r: f"{_under(t)}_{k}_4096.png",
    ),
    Habit(
        "kind first",
        (("color", COLOR), ("rough", ROUGH), ("normal", NORMAL), ("metal", METAL), ("bump", HEIGHT)),
        lambda t, k, r: f"{k}_{_under(t)}.png",
    ),
    Habit(
        "tiles",
        (("baseColor", COLOR), ("roughness", ROUGH), ("normal", NORMAL), ("metalness", METAL)),
        lambda t, k, r: f"{_camel(t)}_{k}.{r.choice((1001, 1002, 1011, 1024))}.exr",
    ),
    Habit(
        "tiles by u and v",
        (("alb", COLOR), ("rgh", ROUGH), ("nml", NORMAL), ("hgt", HEIGHT)),
        lambda t, k, r: f"{_under(t)}_{k}_u{r.randint(1, 3)}_v{r.randint(1, 2)}.tif",
    ),
    Habit(
        "versions and sizes",
        (("col", COLOR), ("rough", ROUGH), ("nrm", NORMAL), ("emit", EMISSION), ("transmission", THROUGH)),
        lambda t, k, r: f"{_under(t)}_{r.choice(('2k', '4k'))}_{k}_v{r.randint(1, 12):03}.png",
    ),
    Habit(
        "points, and green told",
        (("albedo", COLOR), ("roughness", ROUGH), ("normal.dx", NORMAL), ("occlusion", OCCLUSION)),
        lambda t, k, r: f"{t.replace(' ', '.')}.{k}.png",
    ),
    Habit(
        "spaces and brackets",
        (
            ("Base Color", COLOR),
            ("Roughness", ROUGH),
            ("Normal", NORMAL),
            ("Ambient Occlusion", OCCLUSION),
            ("Metalness", METAL),
        ),
        lambda t, k, r: f"{t.title()} ({k}) 2048.png",
    ),
    Habit(
        "kind as folder",
        (("color", COLOR), ("roughness", ROUGH), ("normal", NORMAL), ("opacity", OPACITY)),
        lambda t, k, r: f"maps/{k}/{_under(t)}.png",
    ),
    Habit(
        "thing as folder",
        (("color", COLOR), ("gloss", GLOSS), ("normal", NORMAL), ("ao", OCCLUSION), ("metalness", METAL)),
        lambda t, k, r: f"{_under(t)}/{k}.png",
    ),
    Habit(
        "coats and cloth",
        (
            ("base_color", COLOR),
            ("coat_weight", COAT),
            ("coat_roughness", COAT_ROUGH),
            ("sheen_color", SHEEN),
            ("roughness", ROUGH),
            ("normal", NORMAL),
        ),
        lambda t, k, r: f"{_under(t)}_{k}.exr",
    ),
    Habit(
        "plain colour beside suffixes",
        (("", COLOR), ("_n", NORMAL), ("_r", ROUGH), ("_m", METAL)),
        lambda t, k, r: f"{_under(t)}{k}.png",
    ),
    Habit(
        "all capitals",
        (
            ("ALBEDO", COLOR),
            ("ROUGHNESS", ROUGH),
            ("NORMAL", NORMAL),
            ("AO", OCCLUSION),
            ("OPACITY", OPACITY),
        ),
        lambda t, k, r: f"{_under(t).upper()}_{k}.PNG",
    ),
    Habit(
        "kind in the middle",
        (
            ("diff", COLOR),
            ("nor", NORMAL),
            ("rough", ROUGH),
            ("disp", HEIGHT),
            ("arm", _t(("occlusion", "r"), ("roughness", "g"), ("metalness", "b"))),
        ),
        lambda t, k, r: f"{_under(t)}_{k}_2k.jpg",
    ),
    Habit(
        "numbers after",
        (
            ("color", COLOR),
            ("normal", NORMAL),
            ("specularLevel", _t(("specular", "r"))),
            ("roughness", ROUGH),
        ),
        lambda t, k, r: f"{_camel(t)}_{k}_01.png",
    ),
    Habit(
        "texture words around",
        (
            ("diffuse", COLOR),
            ("normal", NORMAL),
            ("roughness", ROUGH),
            ("metallic", METAL),
            ("emissive", EMISSION),
        ),
        lambda t, k, r: f"tex_{_under(t)}_{k}_map.png",
    ),
    Habit(
        "bits and colour spaces",
        (
            ("basecolor_srgb", COLOR),
            ("roughness_linear", ROUGH),
            ("normal_raw_16bit", NORMAL),
            ("height_raw_16bit", HEIGHT),
        ),
        lambda t, k, r: f"{_under(t)}-{k}.tif",
    ),
)


def deliveries(seed: int) -> Iterator[tuple[str, dict[str, Truth]]]:
    """(habit, names with their truth), one delivery a habit, every thing in each."""
    rng = random.Random(seed)
    for habit in HABITS:
        names: dict[str, Truth] = {}
        for thing in THINGS:
            for word, truth in habit.kinds:
                names[habit.write(thing, word, rng)] = truth
        yield habit.name, names


_SYNONYMS: dict[Truth, tuple[str, ...]] = {
    COLOR: ("base color", "albedo", "diffuse", "color", "col", "colour", "alb", "diff"),
    METAL: ("metallic", "metalness", "metal", "met"),
    ROUGH: ("roughness", "rough", "rgh"),
    GLOSS: ("gloss", "glossiness", "smoothness", "gls"),
    NORMAL: ("normal", "normal map", "nrm", "nor", "norm", "normal gl", "normal dx"),
    HEIGHT: ("height", "displacement", "disp", "bump", "height map"),
    OCCLUSION: ("occlusion", "ambient occlusion", "ao", "occ"),
    OPACITY: ("opacity", "alpha", "opac"),
    EMISSION: ("emission", "emissive", "emit", "glow"),
    SPECULAR: ("specular", "spec", "specular color"),
    COAT: ("clear coat", "clearcoat"),
    SHEEN: ("sheen", "sheen color"),
    THROUGH: ("transmission", "refraction"),
}


def mixed(seed: int, count: int) -> Iterator[tuple[str, dict[str, Truth]]]:
    """Deliveries whose habit is drawn at random: separator, capitals, order, words for the kinds, words that
    say nothing, sizes, versions, tiles.
    """
    for number in range(count):
        rng = random.Random(f"{seed} {number}")
        separator, casing = (
            rng.choice(("_", "-", ".", " ", "__")),
            rng.choice((str.lower, str.upper, str.title)),
        )
        joined, first, prefix, suffix = (
            rng.random() < 0.25,
            rng.random() < 0.2,
            rng.choice(("", "", "tex", "T", "txt")),
            rng.choice(("", "", "map", "2k", "4096", "v03", "01", "8bit")),
        )
        workflow = (COLOR, METAL, ROUGH) if rng.random() < 0.6 else (COLOR, SPECULAR, GLOSS)
        truths = [
            *workflow,
            NORMAL,
            *rng.sample([HEIGHT, OCCLUSION, OPACITY, EMISSION, COAT, SHEEN, THROUGH], rng.randint(0, 3)),
        ]
        words = {truth: rng.choice(_SYNONYMS[truth]) for truth in truths}
        names: dict[str, Truth] = {}
        for thing in rng.sample(THINGS, rng.randint(1, 6)):
            for truth in truths:
                halves = [thing, words[truth]] if not first else [words[truth], thing]
                parts = [part for part in (prefix, *halves, suffix) if part]
                if joined:
                    stem = "".join(word.capitalize() for part in parts for word in part.split())
                else:
                    stem = separator.join(casing(word) for part in parts for word in part.split())
                names[f"{stem}.png"] = truth
        yield f"mixed {number}", names


def alone(seed: int) -> Iterator[tuple[str, dict[str, Truth]]]:
    """The same habits, one set a delivery: no other thing helps."""
    rng = random.Random(seed)
    for habit in HABITS:
        for thing in THINGS:
            yield habit.name, {habit.write(thing, word, rng): truth for word, truth in habit.kinds}
