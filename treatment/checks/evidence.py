"""Is the water test good enough to design on?"""

from __future__ import annotations

from collections.abc import Iterator

from ..analytes import analytes
from ..audit import Audit
from ..rules import Hit, rule


@rule("microbes-untested", "safety.evidence")
def microbes_untested(audit: Audit) -> Iterator[Hit]:
    """A private source without a microbe test."""
    if audit.facts.source.kind != "town" and not any(audit.evidence.measured(name) for name in ("total_coliform", "e_coli")):
        yield Hit(
            "caution",
            "No test for total coliform or E. coli: nobody knows whether this water is safe.",
            "Test before design is settled, and after any flood or repair.",
        )


@rule("test-missing/<analyte>", "safety.evidence")
def test_missing(audit: Audit) -> Iterator[Hit]:
    """A value the design stands on was not measured, only assumed."""
    for name in ("ph", "hardness", "alkalinity"):
        if audit.evidence.states[name].origin == "assumed":
            row = analytes()[name]
            yield Hit("caution", f"{row.name} was not measured; {audit.show(audit.evidence.states[name].design, row.shown_unit)} is assumed.",
                      f"Measure {row.said} before anything is bought.", (name,))  # fmt: skip
    if "iron" not in audit.evidence.states and audit.facts.source.kind != "town":
        yield Hit("caution", "Iron was not measured; the design stands on none.", "Measure iron and manganese together.", ("iron",))


@rule("unit-ambiguous", "safety.evidence")
def unit_ambiguous(audit: Audit) -> Iterator[Hit]:
    """A reading whose unit could mean two things, and how it was read."""
    for note in audit.evidence.assumptions:
        if "does not say as what" in note.why:
            yield Hit("caution", f"{note.why}.", "Look at the report and write the unit with its basis, e.g. “mg/L as N”.")


@rule("iron-form-unknown", "safety.evidence")
def iron_form_unknown(audit: Audit) -> Iterator[Hit]:
    """Total iron is known, but not whether it is dissolved or rust."""
    measured = audit.evidence.measured
    if measured("iron") and audit.run.raw.iron > 0.3 and not measured("ferrous_iron") and not measured("ferric_iron"):
        yield Hit("advice", f"Iron {audit.show(audit.run.raw.iron, 'mg/L')}: dissolved or rust is not known, and each asks for another treatment.",
                  "Stand a glass for 30 minutes: clear water that turns orange holds dissolved iron; orange at once is rust.")  # fmt: skip
