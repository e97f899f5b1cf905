"""How the choices of a job are called on its pages."""

from __future__ import annotations

CHOICE_WORDS = {
    "drilled_well": "Drilled well", "dug_well": "Dug well", "spring": "Spring", "surface": "Stream or lake", "rain": "Rainwater tank", "town": "Public supply",
    "none": "None", "chlorine": "Chlorine", "chloramine": "Chloramine", "flood": "A flood", "repair": "A repair", "heavy_rain": "Heavy rain",
    "copper": "Copper", "pex_expansion": "PEX, expansion fittings", "pex_crimp": "PEX, crimp fittings", "cpvc": "CPVC", "pvc40": "PVC schedule 40", "pe": "PE",
    "fixture_units": "Fixture units (default)", "simultaneous": "Fixtures running together", "bathrooms": "Number of bathrooms",
    "x4": "× 4 grains per mg/L (default)", "x3": "× 3", "x5": "× 5", "fixed": "A fixed adder", "single": "One 25 µm cartridge", "staged": "25 then 5 µm",
    "dual_gradient": "Dual-gradient", "backwashing": "Backwashing bed", "auto": "By load (default)", "3_day": "Every 3 days", "7_day": "Every 7 days",
}  # fmt: skip


EMPTY_WORDS = {"prefilter_school": "Only where particles are found (default)", "peak_flow_school": "Fixture units (default)",
               "iron_school": "× 4 grains per mg/L (default)", "regeneration_school": "By load (default)", "soft_water": "Not given",
               "safe_to_drink": "Not given"}  # fmt: skip
