"""Reads ``cairn-job/1``: the open format of a job. Collects every fault with its path."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from .house.pipes import unmade
from .job.facts import Facts
from .language.errors import BadDocument, Fault
from .language.schema import shared
from .language.spec import BAD, Choice, read_record, record_schema, specs_of
from .train.treatment import Stage
from .treatments import ROOMS

FORMAT = "cairn-job/1"
MOST_STAGES = 40
LARGEST = 20_000_000  # bytes of one document


@dataclass(frozen=True, slots=True)
class Job:
    """A job as read: its facts, and its train where it gives one, in order."""

    facts: Facts
    train: tuple[Stage[Any], ...] | None


def read_job(document: Any) -> Job:
    """Read a decoded ``cairn-job/1`` document. Raises BadDocument with every fault found."""
    faults: list[Fault] = []
    if not isinstance(document, dict):
        raise BadDocument([Fault("$", f"expected a job document (an object), got {type(document).__name__}")])
    if document.get("format") != FORMAT:
        faults.append(Fault("$.format", f"expected “{FORMAT}”, got {json.dumps(document.get('format'))}"))
    facts = read_record(Facts, document, "$", faults, skip=("format", "train"))
    train = _read_train(document.get("train"), faults)
    if not document.get("samples") and document.get("train") is None:
        faults.append(Fault("$", "expected at least one sample or a train"))
    if (
        facts is not BAD
        and facts.supply.pressure_low is not None
        and facts.supply.pressure_high is not None
        and facts.supply.pressure_high < facts.supply.pressure_low
    ):
        faults.append(Fault("$.supply.pressure_high", "expected a pressure at or above pressure_low"))
    sold = None if facts is BAD else facts.catalogue
    if sold is not None and facts.firm.currency and facts.firm.currency != sold.currency:
        faults.append(Fault("$.catalogue.currency", f"expected “{facts.firm.currency}”, the currency of this job's company, got “{sold.currency}”"))
    pipe = None if facts is BAD else facts.supply.pipe
    if pipe is not None and (why := unmade(pipe.material, pipe.size, pipe.pressure_class)):
        faults.append(Fault("$.supply.pipe.size", why))
    if faults:
        raise BadDocument(faults)
    return Job(facts, train)


def read_train(raw: Any) -> tuple[Stage[Any], ...] | None:
    """Read the ``train`` of a document by itself. Raises BadDocument with every fault found."""
    faults: list[Fault] = []
    train = _read_train(raw, faults)
    if faults:
        raise BadDocument(faults)
    return train


def _read_train(raw: Any, faults: list[Fault]) -> tuple[Stage[Any], ...] | None:
    if raw is None:
        return None
    if not isinstance(raw, list):
        faults.append(Fault("$.train", "expected a list of stages or null"))
        return None
    if len(raw) > MOST_STAGES:
        faults.append(Fault("$.train", f"expected at most {MOST_STAGES} stages, got {len(raw)}"))
        return None
    stages, ids = [], set()
    for i, each in enumerate(raw):
        read = read_stage(each, f"$.train[{i}]", faults)
        if read is None:
            continue
        name = read.keys.id
        if name is not None and name in ids:
            faults.append(Fault(f"$.train[{i}].id", f"“{name}” is already the id of another stage"))
        ids.add(name)
        stages.append(read)
    return tuple(stages)


def read_stage(raw: Any, path: str, faults: list[Fault]) -> Stage[Any] | None:
    """Read one stage of a train; None where it cannot be read."""
    if not isinstance(raw, dict):
        faults.append(Fault(path, "expected a stage such as {“kind”: “softener”}"))
        return None
    kind = raw.get("kind")
    known: list[Fault] = []
    if Choice(tuple(ROOMS)).read(kind, f"{path}.kind", known) is BAD:
        faults += known
        return None
    room = ROOMS[str(kind)]
    keys = read_record(room.Keys, raw, path, faults, skip=("kind",))
    if keys is BAD:
        return None
    layers = getattr(keys, "layers", ())
    if layers and keys.volume is None:  # a bed holds what its layers hold
        keys = replace(keys, volume=sum(layer.volume for layer in layers))
    return Stage(room, keys)


def written(train: Iterable[Stage[Any]], typed: Iterable[dict[str, Any]] = ()) -> list[dict[str, Any]]:
    """A composed train as the job file writes it and a person edits it: what makes each stage what it is, by its identity keys.

    Sizes are left out, so that they follow the water. Reading it gives stages that do the same. typed: stages as somebody
    wrote them; one that the train keeps stays as it was written, less the sizes that the train gave up.
    """
    stood = {stage.get("id"): stage for stage in typed}
    found = []
    for stage in train:
        held = stood.get(stage.id)
        if held is not None and held["kind"] == stage.kind:
            found.append({name: value for name, value in held.items() if name in ("kind", "id") or getattr(stage.keys, name, None) is not None})
            continue
        specs = specs_of(stage.room.Keys)
        identity = stage.room.identity(stage.keys) | ({"id": stage.id} if stage.id else {})
        found.append({"kind": stage.kind} | {name: specs[name].write(value) for name, value in identity.items()})
    return found


def loads(text: str, beside: Path | None = None) -> Job:
    """Read the text of a job document. Raises BadDocument, also for text that is not JSON.

    beside: the folder of the job file, where its ``catalogue`` may be the path of a file in it or below it.
    """
    document = decoded(text)
    if beside is not None and isinstance(document, dict) and isinstance(document.get("catalogue"), str):
        document = {**document, "catalogue": _beside(beside, document["catalogue"])}
    return read_job(document)


def _beside(folder: Path, name: str) -> Any:
    """The catalogue in a file beside or below a job file. Raises BadDocument where it lies elsewhere or cannot be read."""
    path, here = (folder / name).resolve(), folder.resolve()
    if Path(name).is_absolute() or not path.is_relative_to(here):
        raise BadDocument([Fault("$.catalogue", f"expected a path beside or below the job file, got “{name}”")])
    try:
        if path.stat().st_size > LARGEST:
            raise BadDocument([Fault("$.catalogue", f"expected a file of at most {LARGEST // 1_000_000} MB")])
        text = path.read_text(encoding="utf-8-sig")
    except OSError as error:
        raise BadDocument([Fault("$.catalogue", f"cannot read {name}: {error.strerror}")]) from None
    except UnicodeDecodeError:
        raise BadDocument([Fault("$.catalogue", f"expected UTF-8 text in {name}")]) from None
    try:
        return decoded(text)
    except BadDocument as error:
        raise BadDocument([Fault("$.catalogue", f"{name}: {fault.message}") for fault in error.faults]) from None


def decoded(text: str) -> Any:
    """The document in a text of JSON. Raises BadDocument."""
    try:
        return json.loads(text, parse_constant=_no_constant, object_pairs_hook=_no_twice)
    except json.JSONDecodeError as error:
        raise BadDocument([Fault("$", f"expected JSON; line {error.lineno}, column {error.colno}: {error.msg}")]) from None
    except RecursionError:
        raise BadDocument([Fault("$", "expected a job document; this one is nested too deep")]) from None
    except ValueError as error:
        raise BadDocument([Fault("$", str(error))]) from None


def _no_constant(name: str) -> Any:
    raise ValueError(f"expected numbers; {name} is not one")


def _no_twice(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for name, value in pairs:
        if name in found:
            raise ValueError(f"the key “{name}” is given twice in one object")
        found[name] = value
    return found


def job_schema() -> dict[str, Any]:
    """The JSON Schema of ``cairn-job/1``, made from the types that read it."""
    schema = record_schema(Facts)
    stages = []
    for kind, room in ROOMS.items():
        own = record_schema(room.Keys)
        own["properties"] = {"kind": {"const": kind}, **own["properties"]}
        own["required"] = ["kind"]
        stages.append(own)
    schema["properties"] = {
        "format": {"const": FORMAT},
        **schema["properties"],
        "train": {"anyOf": [{"type": "array", "maxItems": MOST_STAGES, "items": {"anyOf": stages}}, {"type": "null"}]},
    }
    schema["required"] = ["format"]
    return shared({"$schema": "https://json-schema.org/draft/2020-12/schema", "$id": "cairn-job/1", "title": "Vivid Cairn job", **schema})


def stage_fields(kind: str) -> dict[str, Any]:
    """The keys a stage kind takes, with how each is read; for forms and the handbook."""
    return specs_of(ROOMS[kind].Keys)
