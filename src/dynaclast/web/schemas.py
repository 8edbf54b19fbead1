"""What the API takes and gives; the TypeScript types are generated from these."""

from __future__ import annotations

from functools import cache
from typing import Any, Literal

from pydantic import BaseModel, Field

from ..core.document import Body, MeshStep, Shot
from ..core.document.base import Name
from ..core.materials import Preset


class Often(BaseModel):
    """An answer of many operations: its schema is worked out once, not once for each; a shot's takes a third of a
    second.
    """

    @classmethod
    @cache
    def model_json_schema(cls, **options: Any) -> dict[str, Any]:  # type: ignore[override]
        return super().model_json_schema(**options)


class Problem(Often):
    """An error: what, where, what to do."""

    code: str
    message: str
    where: str = ""
    problems: list[dict[str, str]] = []


class ShotPath(BaseModel):
    shot_id: str = Field(max_length=64)


class TakePath(BaseModel):
    take_id: str = Field(max_length=64)


class ChunkPath(TakePath):
    first: int = Field(ge=0)


class PiecesPath(BaseModel):
    key: str = Field(max_length=64)


class ShotCard(BaseModel):
    id: str
    name: str
    note: str
    changed: str
    created: str
    takes: int
    picture: str = Field(description="another wherever its picture is another")


class ShotList(BaseModel):
    shots: list[ShotCard]


class NewShot(BaseModel):
    name: str = Field("Untitled shot", min_length=1, max_length=80)
    document: dict[str, Any] | None = None


class ShotOut(Often):
    """A shot at its head; undo and redo are the labels of the edits they would take back or do again."""

    id: str
    name: str
    revision: int
    document: Shot
    undo: str | None
    redo: str | None


class SaveShot(BaseModel):
    base: int
    document: dict[str, Any]
    label: str = Field("edit", max_length=120)
    number: str = Field("", max_length=40, description="of this change: sent again, it is not made again")


class StepShot(BaseModel):
    base: int
    number: str = Field("", max_length=40, description="of this change: sent again, it is not made again")


class PutQuery(BaseModel):
    replace: bool = Field(False, description="in place of one that has the name")


class PartOut(BaseModel):
    """One mesh of a file: its asset, where it stands, its lowest point's height, and kinds of defects found."""

    asset: str
    name: str
    triangles: int
    size: tuple[float, float, float]
    position: tuple[float, float, float]
    rotation: tuple[float, float, float, float]
    color: str | None
    low: float
    defects: list[str]


class AssetsOut(BaseModel):
    name: str
    parts: list[PartOut]
    notes: list[str]


class DocumentIn(BaseModel):
    document: dict[str, Any]


class BodiesIn(BaseModel):
    bodies: list[dict[str, Any]] = Field(max_length=500)


class KeysIn(BaseModel):
    keys: list[str] = Field(max_length=500)


class BodyIn(BaseModel):
    body: dict[str, Any]


class LibraryItem(BaseModel):
    """A field or falloff kept for other shots."""

    kind: Literal["field", "falloff"]
    name: Name
    item: dict[str, Any]


class LibraryList(BaseModel):
    items: list[LibraryItem]


class LibraryQuery(BaseModel):
    kind: Literal["field", "falloff"]
    name: str = Field(max_length=80)


class MembersIn(DocumentIn):
    group: str


class LoadsIn(DocumentIn):
    name: str


class DefectOut(BaseModel):
    """A defect; marks are segments (x, y, z, x, y, z) that show where, mends the kinds of steps that help."""

    kind: str
    count: int
    sentence: str
    mends: list[str]
    marks: list[list[float]]


class ReportOut(BaseModel):
    """``steps``: what each step of the body's did."""

    triangles: int
    size: tuple[float, float, float]
    defects: list[DefectOut]
    steps: list[str]


class MendOut(BaseModel):
    """The gentlest steps, after those the body has, that make its mesh a solid; null where none do."""

    steps: list[MeshStep] | None


class TierOut(BaseModel):
    tier: int
    bonds: int
    strength: tuple[float, float]


class BuiltBody(BaseModel):
    """A body's pieces: where to fetch them, and the figures shown beside its controls. Lengths m, masses kg, strengths
    kN.
    """

    name: str
    key: str
    pieces: int
    bonds: int
    triangles: int
    vertices: int
    size: tuple[float, float, float]
    mass: float
    smallest: float
    largest: float
    strength_low: float
    strength_high: float
    strength_total: float
    density: float
    tiers: list[TierOut]


class BuildOut(BaseModel):
    """A body's figures, or how far its build is (share 0 to 1, seconds left where known)."""

    built: BuiltBody | None
    share: float
    left: float | None


class SettleIn(DocumentIn):
    """A document, the bodies that are to settle, and whether fields act on them meanwhile."""

    bodies: list[str] = Field(min_length=1, max_length=2000)
    with_fields: bool = False


class SettlingPath(BaseModel):
    key: str = Field(max_length=64)


class SettlingOut(BaseModel):
    """How far a settling is (share 0 to 1, seconds left where known), or the opening shapes it ended with: after how
    many seconds of the shot's time, and whether all had come to rest.
    """

    key: str
    share: float
    left: float | None
    openings: dict[str, dict[str, Any]] | None
    ties: dict[str, list[float]] = Field(description="where points of ties on these bodies are then: x, y, z [m]")
    loads: dict[str, list[float]] = Field(description="what seams of bodies in pieces bear then [kN]")
    seconds: float | None
    rests: bool


class BuildEntry(BaseModel):
    """As BuildOut, or what is wrong with the body."""

    built: BuiltBody | None = None
    share: float = 0.0
    left: float | None = None
    error: Problem | None = None


class BuildsOut(BaseModel):
    """Of each body, in order."""

    builds: list[BuildEntry]


class MaterialQuery(BaseModel):
    name: str = Field(max_length=80)


class MatterPreset(BaseModel):
    """What something that deforms is made of, by the kinds of matter it can be."""

    name: str
    density: float
    friction: float
    source: str
    matter: dict[str, dict[str, Any]] = Field(description="by kind of matter, the numbers it gives")
    strength: dict[str, float] = Field(description="by kind: tears at so much [kN/m], or breaks at so much [kN]")


class MaterialList(BaseModel):
    presets: list[Preset]
    saved: list[Preset]
    matters: list[MatterPreset]


class CrossingOut(BaseModel):
    field: str
    body: str
    targeted: bool
    pieces: int
    of: int
    bonds: int
    breaks: int
    load_top: float
    strength_low: float
    strength_high: float
    vertices: bool


class PathLoadOut(BaseModel):
    """What flows through the bonds of a body by the field asked about and the weight of what is held, at the opening
    pose: of the bond that bears the greatest share of its strength.
    """

    body: str
    bonds: int = Field(description="how many were looked at; 0 where there are too many pieces")
    load: float = Field(description="[kN]")
    strength: float = Field(description="[kN]")
    over: int = Field(description="bonds that bear more than they can")
    rule: Literal["off", "on", "fail"]


class FindingOut(BaseModel):
    code: str
    grave: str
    step: str
    about: str
    sentence: str
    remedy: str


class SurveyIn(DocumentIn):
    """A document, the frame it is looked at, the field whose arrows are wanted, the body whose weights are, and the map
    that is shown.
    """

    frame: int = Field(0, ge=0, le=2000)
    field: str = Field("", max_length=80)
    weighs: str = Field("", max_length=80)
    shows: str = Field("", max_length=80)


class StandOut(BaseModel):
    turn: list[float]
    shift: tuple[float, float, float]


class MapOut(BaseModel):
    """A map's value per piece, and its colour where the falloff has some of its own."""

    values: list[float]
    tint: list[tuple[int, int, int]]


class VerticesOut(BaseModel):
    """Vertices of a body that deforms, as they open: which are pinned, and the reach there of the field asked about; of
    a wind what it presses on the faces round each [Pa].
    """

    count: int
    pinned: list[int]
    reach: list[float]
    pressure: list[float]
    map: list[float] = Field(description="of the map asked about; empty where it has no say")
    tint: list[int] = Field(description="its colours, three bytes a vertex, where it has some of its own")


class SurveyOut(BaseModel):
    """The reach grid and preflight of a document, and which pieces each field reaches (value 0 to 1 per piece)."""

    crossings: list[CrossingOut]
    findings: list[FindingOut]
    values: dict[str, list[float]]
    bodies: list[tuple[str, int]]
    vertices: dict[str, VerticesOut] = Field(description="of bodies that deform, by their names")
    weights: dict[str, list[float]] = Field(
        description="of the body asked about, at its drawn vertices: the falloff of each of its pins, recall and "
        "weights, as pins.0; and what all of them come to: pins, recall [1/s], and factors on its matter's numbers"
    )
    loads: list[PathLoadOut] = Field(description="of the field asked about; of a strain by weight alone")
    maps: dict[str, MapOut] = Field(description="the shot's maps, as they are before a run")
    arrows: list[tuple[float, float, float]] = Field(
        description="what the field asked about would do to each piece [m/s2, or m/s of a blow]"
    )
    spread: list[tuple[float, float, float, float, float, float]] = Field(
        description="the same over the surfaces of bodies with few pieces: where [m], and what it would do"
    )
    stands: dict[str, StandOut] = Field(
        description="where fields that travel are: how they have turned (3 x 3, row by row) and shifted"
    )


class AheadOut(BaseModel):
    """Bakes that come before one that waits, and the first of them."""

    bakes: int
    shot: str
    number: int


class TakeOut(Often):
    id: str
    shot_id: str
    number: int
    name: str
    note: str
    revision: int
    status: str
    frames_total: int
    frames_done: int
    pieces: int
    attempt: int
    seconds: float
    prepared: float = Field(description="share of its preparation that is done, 0 to 1")
    left: float | None = Field(description="[s] that it takes itself, where it can be told")
    ahead: AheadOut | None = Field(description="what it waits for")
    message: str
    created: str


class TakeList(BaseModel):
    takes: list[TakeOut]


class BakeQuery(BaseModel):
    without_faulty: bool = Field(False, description="leave out fields that cannot act, instead of refusing")


class TakeWhole(BaseModel):
    take: TakeOut
    document: Shot
    state_names: list[str]


class DescribeTake(BaseModel):
    name: str = Field("", max_length=80)
    note: str = Field("", max_length=400)


class ExtendTake(BaseModel):
    frames: int | None = Field(None, ge=1, le=2000)


class ChunkOut(BaseModel):
    first: int
    count: int
    stats: dict[str, list[float]]


class ChunkList(BaseModel):
    chunks: list[ChunkOut]


class ProgressOut(BaseModel):
    take: TakeOut
    chunks: list[ChunkOut]


class EventList(BaseModel):
    events: list[dict[str, Any]]


class TraceQuery(BaseModel):
    piece: int = Field(ge=0, description="as numbered in the frames")


class Lane(BaseModel):
    """When something was so: first and last frame of each run."""

    name: str
    spans: list[tuple[int, int]]


class TraceOut(BaseModel):
    """What one piece went through."""

    piece: int
    frames: int
    load: list[float] = Field(description="of the worst of its bonds by its strength; empty where none is kept")
    speed: list[float] = Field(description="m/s, of the way between frames")
    states: list[Lane]
    fields: list[Lane] = Field(description="those that acted on it")
    events: list[dict[str, Any]]


class LoadsQuery(BaseModel):
    piece: int = Field(ge=0, description="as numbered in the frames")
    frame: int = Field(ge=0)


class BondLoadOut(BaseModel):
    """What a bond bears as a frame begins, but for hits."""

    bond: int
    piece: int = Field(description="the other one it joins")
    load: float = Field(description="kN")
    strength: float = Field(description="kN")
    causes: list[dict[str, Any]] = Field(description="what it comes from, with `load` [kN], the most first")


class LoadsOut(BaseModel):
    bonds: list[BondLoadOut] = Field(description="those that hold, the fullest first")


class AfterQuery(BaseModel):
    after: int = -1


class ExportQuery(BaseModel):
    format: str = Field("usdc", pattern="^(usdc|usda|glb|npz|obj|ply)$")
    first: int = Field(0, ge=0, description="frame, with")
    last: int | None = Field(None, ge=0, description="frame, with; the end unless given")
    step: int = Field(1, ge=1, le=1000, description="every so many frames")
    backwards: bool = False
    bodies: str = Field("", description="names of bodies and groups with newlines between; all unless given")


class Done(BaseModel):
    ok: bool = True


__all__ = [name for name in dir() if name[0].isupper() and name != "Any"] + ["Body"]
