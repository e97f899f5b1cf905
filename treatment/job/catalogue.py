"""What a company really sells: ``cairn-catalogue/1``, as a job file carries it or a file of its own gives it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from decimal import Decimal
from typing import Any, ClassVar

from ..language.errors import BadDocument, Fault
from ..language.schema import shared
from ..language.spec import (
    BAD,
    Choice,
    Fraction,
    KeysOf,
    ListOf,
    Measure,
    Number,
    Spec,
    Text,
    Vessel,
    key,
    read_record,
    record_schema,
    refuse_unknown,
    specs_of,
    write_record,
)
from .firm import Currency, Money
from .prices import price_keys

FORMAT = "cairn-catalogue/1"
MOST_ITEMS = 20_000

_FLOW = Measure("flow", "12 gpm", high=20000, above=True)
_PRESSURE = Measure("pressure", "40 psi", high=3000, above=True)
_POWER = Measure("power", "55 W", high=100_000, above=True)
_VOLUME = Measure("volume", "80 gal", high=1e7, above=True)


class PriceKeys(KeysOf):
    """A key of the price list."""

    @property
    def options(self) -> tuple[Any, ...]:
        return tuple(price_keys())


@dataclass(frozen=True)
class Percent(Number):
    """A number of percent: ``95``, or ``"95 %"``."""

    def read(self, raw: Any, path: str, faults: list[Fault]) -> Any:
        return super().read(raw.strip().removesuffix("%").strip() if isinstance(raw, str) else raw, path, faults)


_HOUSING = KeysOf("vessels", "cartridges")
_VESSELS = ListOf(Vessel(), most=100)


@dataclass(frozen=True, slots=True)
class FitsVessel:
    """A mineral tank. volume [L] of the empty shell, height [m]: the nominal ones where they are left out."""

    asks: ClassVar[tuple[str, ...]] = ("size",)
    size: str = key(Vessel(), "", "nominal inches, diameter × height")
    volume: float | None = key(_VOLUME, None, "what the empty shell holds")
    height: float | None = key(Measure("length", "54 in", high=10, above=True), None, "height of the shell")


@dataclass(frozen=True, slots=True)
class FitsValve:
    """A control valve: flows [L/min] in service and in backwash, and the vessels it is made for."""

    asks: ClassVar[tuple[str, ...]] = ("service", "backwash", "vessels")
    service: float = key(_FLOW, 0.0, "steady flow it passes")
    backwash: float = key(_FLOW, 0.0, "flow it passes to the drain")
    vessels: tuple[str, ...] = key(_VESSELS, (), "sizes it fits")


@dataclass(frozen=True, slots=True)
class FitsHead:
    """A head with inlet and outlet and no valve."""

    asks: ClassVar[tuple[str, ...]] = ("vessels",)
    vessels: tuple[str, ...] = key(_VESSELS, (), "sizes it fits")


@dataclass(frozen=True, slots=True)
class FitsHousing:
    """A cartridge housing. ports [m]."""

    asks: ClassVar[tuple[str, ...]] = ("housing",)
    housing: str = key(_HOUSING, "", "length × diameter in inches")
    ports: float | None = key(Measure("length", "1 in", high=0.5, above=True), None, "its connections")


@dataclass(frozen=True, slots=True)
class FitsCartridge:
    """A cartridge. micron [um] as rated; medium: what it is filled with, none for particles; dirt [kg]: what it holds until it is changed."""

    asks: ClassVar[tuple[str, ...]] = ("housing", "micron")
    housing: str = key(_HOUSING, "", "length × diameter in inches")
    micron: float = key(Number(0.01, 1000), 0.0, "rating in µm")
    medium: str | None = key(Choice(("carbon", "oxidizing")), None, "what it is filled with")
    dirt: float | None = key(Measure("mass", "350 g", high=100, above=True), None, "dirt it holds")


@dataclass(frozen=True, slots=True)
class FitsLamp:
    """A UV unit: flow [L/min] at a dose [mJ/cm2] and a transmittance [%]; power [W], chamber [m], life of the lamp [h]."""

    asks: ClassVar[tuple[str, ...]] = ("rated", "rated_uvt", "rated_dose", "power")
    rated: float = key(_FLOW, 0.0, "flow at its rated dose")
    rated_uvt: float = key(Percent(10, 100), 0.0, "transmittance of the rating, in percent")
    rated_dose: float = key(Measure("uv_dose", "40 mJ/cm2", low=1, high=1000, bare="mJ/cm2"), 0.0, "dose at its rated flow, at the end of lamp life")
    power: float = key(_POWER, 0.0, "lamp and ballast")
    chamber: float | None = key(Measure("length", "900 mm", high=5, above=True), None, "length of its chamber")
    life: float | None = key(Number(100, 100_000), None, "hours that a lamp lasts")


@dataclass(frozen=True, slots=True)
class FitsMembrane:
    """A membrane unit: permeate [L/day] at 25 degC, recovery [-], for the house or for a tap."""

    asks: ClassVar[tuple[str, ...]] = ("rated", "recovery", "place")
    rated: float = key(Measure("daily_flow", "400 gal/day", high=1e7, above=True), 0.0, "permeate at 25 °C")
    recovery: float = key(Fraction(low=0.01, high=0.95), 0.0, "share of the feed that becomes permeate")
    place: str = key(Choice(("house", "tap")), "", "for the house or for a tap")


@dataclass(frozen=True, slots=True)
class FitsMedium:
    """A bag of a granular medium: its volume [L] and mass [kg]."""

    asks: ClassVar[tuple[str, ...]] = ("medium", "bag", "mass")
    medium: str = key(KeysOf("media"), "", "key of data/media.toml")
    bag: float = key(Measure("volume", "1 ft3", high=10_000, above=True), 0.0, "what a bag fills")
    mass: float = key(Measure("mass", "90 lb", high=10_000, above=True), 0.0, "what a bag weighs")


@dataclass(frozen=True, slots=True)
class FitsPump:
    """A booster pump: a flow [L/min] at a pressure [kPa], and its power [W]."""

    asks: ClassVar[tuple[str, ...]] = ("flow", "pressure", "power")
    flow: float = key(_FLOW, 0.0, "flow at its pressure")
    pressure: float = key(_PRESSURE, 0.0, "pressure it adds")
    power: float = key(_POWER, 0.0, "electrical power")


@dataclass(frozen=True, slots=True)
class FitsTank:
    """A tank. volume [L]."""

    asks: ClassVar[tuple[str, ...]] = ("volume",)
    volume: float = key(_VOLUME, 0.0, "what it holds")


@dataclass(frozen=True, slots=True)
class FitsFeedPump:
    """A metering pump: its greatest flow [L/min] against a pressure [kPa]."""

    asks: ClassVar[tuple[str, ...]] = ("flow", "pressure")
    flow: float = key(Measure("flow", "1 L/h", high=1000, above=True), 0.0, "greatest flow")
    pressure: float = key(_PRESSURE, 0.0, "pressure it feeds against")


@dataclass(frozen=True, slots=True)
class FitsFitting:
    """Anything else of the price list, by its key."""

    asks: ClassVar[tuple[str, ...]] = ("key",)
    key: str = key(PriceKeys(), "", "key of the price list")


#: what the items of each kind say of themselves
KINDS: dict[str, type] = {
    "vessel": FitsVessel, "valve": FitsValve, "cartridge_housing": FitsHousing, "cartridge": FitsCartridge, "lamp": FitsLamp,
    "membrane": FitsMembrane, "medium": FitsMedium, "pump": FitsPump, "tank": FitsTank, "feed_pump": FitsFeedPump, "head": FitsHead,
    "fitting": FitsFitting,
}  # fmt: skip
#: fields that the format calls by a word Python keeps for itself
NAMED = {"place": "for"}


def field_names(kind: str) -> dict[str, str]:
    """Field of our record -> what the format calls it, for a kind."""
    return {name: NAMED.get(name, name) for name in specs_of(KINDS[kind])}


def asked_of(kind: str) -> tuple[str, ...]:
    """What an item of a kind has to say of itself, as the format calls it."""
    return tuple(NAMED.get(name, name) for name in KINDS[kind].asks)  # type: ignore[attr-defined]


@dataclass(frozen=True, slots=True)
class Item:
    """Something a company sells. fits: what it is good for, by its kind."""

    code: str
    what: str
    kind: str
    price: Decimal
    fits: Any
    lead_days: int | None = None

    def written(self) -> dict[str, Any]:
        """As the format writes it."""
        names = field_names(self.kind)
        fits = {names[name]: value for name, value in write_record(self.fits).items()}
        found = {"code": self.code, "what": self.what, "kind": self.kind, "price": f"{self.price:f}"}
        return found | ({} if self.lead_days is None else {"lead_days": self.lead_days}) | {"fits": fits}


class ItemSpec(Spec):
    """One item of a catalogue."""

    expected = "an item such as {“code”: “V-1054”, “what”: “Mineral tank”, “kind”: “vessel”, “price”: “120”, “fits”: {“size”: “10x54”}}"
    code, what, lead = Text(60), Text(200), Number(0, 3650, whole=True)

    def read(self, raw: Any, path: str, faults: list[Fault]) -> Any:
        if not isinstance(raw, dict):
            return self.refuse(raw, path, faults)
        before = len(faults)
        refuse_unknown(raw, ("code", "what", "kind", "price", "lead_days", "fits"), path, faults)
        kind = Choice(tuple(KINDS)).read(raw.get("kind"), f"{path}.kind", faults)
        code = _named(self.code.read(raw.get("code"), f"{path}.code", faults), "a code that the item is ordered by", f"{path}.code", faults)
        what = _named(self.what.read(raw.get("what"), f"{path}.what", faults), "what the item is", f"{path}.what", faults)
        price = Money().read(raw.get("price"), f"{path}.price", faults)
        days = None if raw.get("lead_days") is None else self.lead.read(raw["lead_days"], f"{path}.lead_days", faults)
        fits = BAD if kind is BAD else _read_fits(kind, raw.get("fits"), f"{path}.fits", faults)
        return BAD if len(faults) > before else Item(code, what, kind, price, fits, days)

    def write(self, held: Item) -> Any:
        return held.written()

    def schema(self) -> dict[str, Any]:
        return {"anyOf": [self._schema(kind) for kind in KINDS]}

    def _schema(self, kind: str) -> dict[str, Any]:
        own, names = record_schema(KINDS[kind]), field_names(kind)
        own["properties"] = {names[name]: each for name, each in own["properties"].items()}
        own["required"] = list(asked_of(kind))
        parts = {
            "code": self.code.schema() | {"minLength": 1}, "what": self.what.schema() | {"minLength": 1}, "kind": {"const": kind},
            "price": Money().schema(), "lead_days": {"anyOf": [self.lead.schema(), {"type": "null"}]}, "fits": own,
        }  # fmt: skip
        return {"type": "object", "properties": parts, "required": ["code", "what", "kind", "price", "fits"], "additionalProperties": False}


def _named(text: Any, asked: str, path: str, faults: list[Fault]) -> Any:
    """A text that may not be blank, without its margins."""
    if text is not BAD and not text.strip():
        faults.append(Fault(path, f"expected {asked}"))
        return BAD
    return text if text is BAD else text.strip()


def _read_fits(kind: str, raw: Any, path: str, faults: list[Fault]) -> Any:
    """What an item of a kind is good for; what is required and left out is told at its place."""
    if not isinstance(raw, dict):
        faults.append(Fault(path, f"expected an object with {', '.join(asked_of(kind))}"))
        return BAD
    names = field_names(kind)
    given = {ours: raw[theirs] for ours, theirs in names.items() if theirs in raw}
    told: list[Fault] = []
    refuse_unknown({name: None for name in raw if name not in names.values()}, tuple(names.values()), path, told)
    fits = read_record(KINDS[kind], given, path, told)
    faults += [Fault(_as_named(fault.path, path), fault.message) for fault in told]
    spoken = {fault.path for fault in faults}
    for name in KINDS[kind].asks:  # type: ignore[attr-defined]
        here = f"{path}.{names[name]}"
        if not given.get(name) and given.get(name) != 0 and not any(each.startswith(here) for each in spoken):
            faults.append(Fault(here, f"expected {specs_of(KINDS[kind])[name].expected}: every {kind.replace('_', ' ')} gives it"))
    return fits


def _as_named(path: str, above: str) -> str:
    """A path with the format's own word for a field."""
    rest = path[len(above) :]
    for ours, theirs in NAMED.items():
        rest = rest.replace(f".{ours}", f".{theirs}", 1) if rest.startswith(f".{ours}") else rest
    return above + rest


@dataclass(frozen=True, slots=True)
class Catalogue:
    """What a company sells, in its currency. version: as it counts them."""

    name: str
    version: str
    currency: str
    items: tuple[Item, ...]

    def written(self) -> dict[str, Any]:
        """As ``cairn-catalogue/1`` writes it; reading it again gives the same."""
        head = {"format": FORMAT, "name": self.name, "version": self.version, "currency": self.currency}
        return head | {"items": [each.written() for each in self.items]}


class CatalogueSpec(Spec):
    """A catalogue inside a job file."""

    expected = f"a catalogue (an object of format “{FORMAT}”); a path is read by the command line only, beside or below the job file"

    def read(self, raw: Any, path: str, faults: list[Fault]) -> Any:
        if not isinstance(raw, dict):
            return self.refuse(raw, path, faults)
        before = len(faults)
        refuse_unknown(raw, ("format", "name", "version", "currency", "items"), path, faults)
        if raw.get("format") != FORMAT:
            faults.append(Fault(f"{path}.format", f"expected “{FORMAT}”"))
        name = _named(Text(120).read(raw.get("name"), f"{path}.name", faults), "the name of the catalogue", f"{path}.name", faults)
        told = raw.get("version", "")
        whole = isinstance(told, int) and not isinstance(told, bool)
        version = Text(40).read(str(told) if whole else told, f"{path}.version", faults)
        currency = Currency().read(raw.get("currency"), f"{path}.currency", faults)
        items = ListOf(ItemSpec(), MOST_ITEMS).read(raw.get("items"), f"{path}.items", faults)
        if items is not BAD:
            faults += twice((each.get("code") if isinstance(each, dict) else None for each in raw["items"]), path)
        return BAD if len(faults) > before else Catalogue(name, version, currency, items)

    def write(self, held: Catalogue) -> Any:
        return held.written()

    def schema(self) -> dict[str, Any]:
        items = {"type": "array", "items": ItemSpec().schema(), "maxItems": MOST_ITEMS}
        parts = {
            "format": {"const": FORMAT}, "name": {"type": "string", "minLength": 1, "maxLength": 120}, "version": {"type": ["string", "integer"]},
            "currency": Currency().schema(), "items": items,
        }  # fmt: skip
        return {"type": "object", "properties": parts, "required": ["format", "name", "currency", "items"], "additionalProperties": False}


def twice(codes: Iterator[Any], path: str) -> list[Fault]:
    """A fault for each code that was already given."""
    found: dict[str, int] = {}
    faults = []
    for i, code in enumerate(codes):
        if not isinstance(code, str) or not code.strip():
            continue
        code = code.strip()
        if code in found:
            faults.append(Fault(f"{path}.items[{i}].code", f"“{code}” is already the code of items[{found[code]}]"))
        found.setdefault(code, i)
    return faults


def read_catalogue(document: Any, path: str = "$") -> Catalogue:
    """Read a decoded ``cairn-catalogue/1`` document. Raises BadDocument with every fault found."""
    faults: list[Fault] = []
    read: Any = CatalogueSpec().read(document, path, faults)
    if faults:
        raise BadDocument(faults)
    found: Catalogue = read
    return found


def catalogue_schema() -> dict[str, Any]:
    """The JSON Schema of ``cairn-catalogue/1``."""
    schema = CatalogueSpec().schema()
    return shared({"$schema": "https://json-schema.org/draft/2020-12/schema", "$id": FORMAT, "title": "Vivid Cairn catalogue", **schema})
