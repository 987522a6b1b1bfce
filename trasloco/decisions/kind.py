"""What a kind of decision is: whom it is about, what it may say, when and how it is carried out, who else
reads it, and its words.

Each kind is one class. Its table of contents is :mod:`trasloco.decisions.kinds`; nothing else of the core
lists kinds by name.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from enum import IntEnum, auto
from typing import Any, ClassVar, Literal, get_args, get_origin

from pydantic import BaseModel, ConfigDict

from trasloco.decisions.schema_words import wanted
from trasloco.scene.model import Scene

Mending = Callable[[Scene, str, Any], Scene]
"""(scene, target, value) to the scene with the decision carried out."""
Thing = Literal[
    "scene",
    "environment",
    "proof",
    "lightmaps",
    "part",
    "group",
    "light",
    "camera",
    "material",
    "image",
    "clip",
    "input",
]
Reader = Literal["survey", "states", "reference", "plan", "light", "proof"]
"""Results that read a decision by themselves; what is made from the reference follows it."""


class Stage(IntEnum):
    """When decisions are carried out, since some change what others count by.

    Within a stage the order is that of the decisions.
    """

    CHOSEN = auto()
    FACES_TURNED = auto()
    """Faces are still numbered as in the file, here and in the next."""
    AS_RECEIVED = auto()
    """Faces are still numbered as in the file."""
    AGREED = auto()
    DROPPED = auto()
    MADE_ANEW = auto()
    DAYLIGHT = auto()
    SKY = auto()
    SLOTS = auto()
    SKY_TURNED = auto()
    SUN = auto()
    LAMPS_ADDED = auto()
    BACKDROP = auto()
    VALUES = auto()
    LAYERS = auto()
    PAINT = auto()
    RELIEF = auto()
    PLACES = auto()
    WHOLE = auto()
    LAMPS_STAND = auto()
    LAMPS_AIM = auto()
    MERGED = auto()
    LEFT_OUT = auto()
    NAMES = auto()
    JOINED = auto()


class Kind(BaseModel):
    """One decision: a value for a field of a target, as it is written, stored and sent.

    A class says, as keywords, ``of``: things it can be decided for, none for those that are no things of a
    scene. ``does``: what is done at which stage. ``read_by``: who reads it beside; what is done changes the
    reference without a word. ``look``: it makes a material's look, and follows where that is taken over.
    ``choice``: it only chooses what comes along. ``spares``: what was taken along by itself stays, whatever
    it says. ``adds``: later values of one target add up. ``mixes``: it only says how strong a light is, so
    that pictures of each light alone hold. ``founds``: what the id of a target that need not be there yet
    begins with. ``says``: its words, or a pair for yes and no. ``wants``: what the value has to be, where
    that does not follow from its type.
    """

    model_config = ConfigDict(strict=True, frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)

    field: str
    target: str
    value: Any

    of: ClassVar[tuple[Thing, ...]] = ()
    does: ClassVar[Mapping[Stage, Mending]] = {}
    read_by: ClassVar[frozenset[Reader]] = frozenset()
    look: ClassVar[bool] = False
    choice: ClassVar[bool] = False
    spares: ClassVar[bool] = False
    adds: ClassVar[bool] = False
    mixes: ClassVar[bool] = False
    founds: ClassVar[str] = ""
    says: ClassVar[str | tuple[str, str]] = ""
    wants: ClassVar[str] = ""

    def __init_subclass__(
        cls,
        of: tuple[Thing, ...] = (),
        does: Mapping[Stage, Mending] | None = None,
        read_by: tuple[Reader, ...] = (),
        look: bool = False,
        choice: bool = False,
        spares: bool = False,
        adds: bool = False,
        mixes: bool = False,
        founds: str = "",
        says: str | tuple[str, str] = "",
        wants: str = "",
        **rest: Any,
    ) -> None:
        super().__init_subclass__(**rest)
        (
            cls.of,
            cls.does,
            cls.look,
            cls.choice,
            cls.spares,
            cls.adds,
            cls.mixes,
            cls.founds,
            cls.says,
            cls.wants,
        ) = of, does or {}, look, choice, spares, adds, mixes, founds, says, wants
        cls.read_by = frozenset({*read_by, *(("reference",) if does else ())})

    @classmethod
    def is_whole(cls) -> bool:
        """Whether it is a kind of its own, and not what several kinds share."""
        return get_origin(cls.model_fields["field"].annotation) is Literal

    @classmethod
    def name(cls) -> str:
        """The field as it is written."""
        return str(get_args(cls.model_fields["field"].annotation)[0])

    @classmethod
    def asks_for(cls) -> str:
        """What the value has to be, in words."""
        return cls.wants or wanted(cls.value_schema())

    @classmethod
    def value_schema(cls) -> dict[str, Any]:
        """JSON Schema of the value, with its unit where it has one; what it refers to is left out."""
        made: dict[str, Any] = cls.model_json_schema()["properties"]["value"]
        return made

    def words(self) -> str:
        """The decision in words, without whom it is about."""
        return self.says if isinstance(self.says, str) else self.says[0 if self.value else 1]

    def names_something(self, scene: Scene) -> bool:
        """Whether what the value names is in the scene; a value that names nothing is."""
        return True

    def lacks(self, scene: Scene) -> tuple[str, str] | None:
        """What keeps the target from taking it though it is of the right kind, and what to do; nothing where
        it can.
        """
        return None
