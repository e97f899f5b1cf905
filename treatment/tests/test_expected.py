"""What is expected of a log on a day: the raw water read then, the temperature, what was used up since the last service."""

from __future__ import annotations

import datetime as dt
import math
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from ..language.errors import BadDocument, NotUnderstood
from ..language.log_keys import known_keys, log_key
from ..operation.diagnosis.cause import BOIL
from ..operation.diagnosis.chart import chart
from ..operation.diagnosis.diagnosis import Diagnosis
from ..operation.monitoring.band import Band
from ..operation.monitoring.series import series
from .fuzz import fuzz
from .golden import frozen
from .test_diagnosis import START, WELL, Read, day, every, variant_of, variant_of_job

TAP = [{"kind": "reverse_osmosis", "id": "ro", "scale": "point_of_use", "rated": "75 gal/day"}]


class OnADay(Read):
    def setUp(self) -> None:
        self.well = variant_of(WELL)

    def band(self, found: Diagnosis, key: str, on: int | None = None) -> Band:
        band = found.look.bands.band(key, None if on is None else START + dt.timedelta(days=on))
        assert band is not None
        return band

    def test_the_raw_water_of_the_day_runs_through_the_train(self) -> None:
        """Soda-ash-acid water that turned more acid: the stone cannot lift it as far, and is not blamed for it; the source is told."""
        raw = self.well.run.raw
        moved = every([300, 320], source__ph="5.5", source__alkalinity="20 mg/L")
        found = self.look(self.well, moved)
        carried = self.well.audit.runner.carried(self.well.run, raw.as_read({"ph": 5.5, "alkalinity": 20.0})).met[0][1].ph
        tells = 0.3
        designed = [water.ph for water in (self.well.run.stages[0].water_out, self.well.run.stages[0].mild_out)]
        self.assertLess(carried, min(designed))
        self.assertAlmostEqual(self.band(found, "stone.ph_out", 330).low or 0, carried - tells)
        # long before and long after that reading the design's own water is what is known
        self.assertAlmostEqual(self.band(found, "stone.ph_out", 200).low or 0, min(designed) - tells)
        self.assertAlmostEqual(self.band(found, "stone.ph_out", 500).low or 0, min(designed) - tells)
        low = f"{(carried + min(designed)) / 2 - tells:.3f}"
        blamed = every([310, 322], stone__ph_out=low)
        self.assertIn("calcite-low", self.causes(self.well, blamed))
        self.assertNotIn("calcite-low", self.causes(self.well, [*moved, *blamed]))

    def test_a_later_test_keeps_the_proportions(self) -> None:
        """Hardness halved: calcium and magnesium halved; iron doubled: both its forms; transmittance as it was read."""
        raw = self.well.run.raw
        read = raw.as_read({"hardness": raw.hardness / 2, "iron": raw.iron * 2, "uvt": 71.0, "carbon_dioxide": 1.0})
        for name, times in (("calcium", 0.5), ("magnesium", 0.5), ("ferrous_iron", 2.0), ("ferric_iron", 2.0)):
            self.assertAlmostEqual(read.value(name), raw.value(name) * times)
        self.assertEqual((read.value("uvt"), read.ph), (71.0, raw.ph))
        bare = raw.as_read({"hardness": 0.0, "iron": 0.0}).as_read({"hardness": 100.0, "iron": 1.0})
        self.assertAlmostEqual(bare.hardness, 100.0)
        self.assertAlmostEqual(bare.iron, 1.0)

    def test_salt_falls_as_the_design_uses_it(self) -> None:
        """40 cm after a fill; 30 days later yearly ÷ 365 × 30 kg less, in a tank of 46 cm by 46 cm, 1.1 kg to the litre."""
        found = self.look(self.well, [{"on": day(10), "did": "soft/salt"}, *every([11, 41], soft__salt_level=lambda i: ["40 cm", "28 cm"][i])])
        yearly = self.well.run.stages[2].figures["salt_per_year"].value
        falls = yearly / 365 * 30 / 1.1 / 1000 / 0.46**2
        band = self.band(found, "soft.salt_level", 41)
        self.assertAlmostEqual(band.high or 0, 0.40 - 0.8 * falls + 0.03)
        self.assertAlmostEqual(band.low or 0, max(0.40 - 1.25 * falls - 0.03, 0))
        self.assertIsNone(found.look.bands.band("soft.salt_level", START + dt.timedelta(days=5)))

    def test_stone_falls_as_it_dissolves(self) -> None:
        """Full when it was filled; half a year later half a year's stone less, of the bed's mass."""
        stone = self.well.run.stages[0]
        bed, yearly = stone.sizing.vessels, stone.figures["media_per_year"].value
        found = self.look(self.well, [{"on": day(100), "did": "stone/medium"}, *every([282], stone__medium_level="60 cm")])
        falls = bed.depth * yearly / (bed.total_volume * bed.medium.density) * 182 / 365
        self.assertAlmostEqual(self.band(found, "stone.medium_level", 282).high or 0, max(bed.depth - 0.8 * falls, 0) + 0.05)

    def test_permeate_at_the_temperature_of_the_day(self) -> None:
        """75 gal a day at 25 degC; at 10 degC exp(2640 × (1/298 − 1/283)) = 0.625 of it, less the 15 % that a membrane may fade."""
        tap = variant_of(TAP)
        found = self.look(tap, every([100, 200], ro__permeate_flow="50 gpd", source__temperature=lambda i: ["25 degC", "10 degC"][i]))
        rated = 75 * 3.785411784 / 1440
        cold = math.exp(2640 * (1 / 298 - 1 / 283))
        self.assertAlmostEqual(cold, 0.625, 3)
        self.assertAlmostEqual(self.band(found, "ro.permeate_flow", 100).low or 0, rated * 0.85)
        self.assertAlmostEqual(self.band(found, "ro.permeate_flow", 200).low or 0, rated * cold * 0.85)
        # put right by the same law: 50 gal a day in the cold are 80 in the warmth
        points = found.look.readings.points("ro.normal_flow")
        self.assertAlmostEqual(points[1][1] / points[0][1], 1 / cold)

    def test_light_by_the_age_of_the_lamp_on_the_day(self) -> None:
        """New 100 %, at the end of 9000 h 70 %: after 4500 h 85, less three times 3 % that a sensor tells apart."""
        found = self.look(self.well, every([10, 190], uv__lamp_hours=lambda i: [0, 4500][i], uv__intensity="90 %"))
        self.assertAlmostEqual(self.band(found, "uv.intensity", 10).low or 0, 100 - 9)
        self.assertAlmostEqual(self.band(found, "uv.intensity", 190).low or 0, 85 - 9)

    def test_transmittance_moves_by_what_darkens_it(self) -> None:
        """A third more of what darkens 90 % in a centimetre leaves 100 × 0.9^1.35 = 86.7 %, less 3 % that a test tells: 72 % is dark."""
        clear = variant_of(WELL, {"uvt": "90 %", "iron": None, "ferrous_iron": None})
        found = self.look(clear, every([100, 130], source__uvt="89 %"))
        self.assertAlmostEqual(self.band(found, "source.uvt").low or 0, 100 * 0.9**1.35 - 3)
        self.fires("dark-water", clear, every([100, 130, 160], source__uvt="72 %"), every([100, 130, 160], source__uvt="86 %"))

    def test_less_than_designed_is_as_good(self) -> None:
        """Soft water softer than a softener leaves it is inside; raw water and what is fed are not taken out."""
        found = self.look(self.well, every([100], soft__hardness_out="0 gpg"))
        self.assertEqual(self.band(found, "soft.hardness_out").low, 0.0)
        self.assertGreater(self.band(found, "source.hardness").low or 0, 0)

    def test_a_chart_reaches_to_a_crossing_that_is_near(self) -> None:
        """Half as far ahead as lies behind, at the most: a crossing in years leaves the drawing at today, its day is told."""
        near, far = (
            chart(self.look(self.well, every(range(0, 300, 30), five__pressure_in="340 kPa", five__pressure_out=lambda i, more=more: f"{330 - more * i} kPa")),
                  "five.pressure_drop", "drop", "us") for more in (6, 2)
        )  # fmt: skip
        assert near is not None and far is not None and near.trend is not None and far.trend is not None
        self.assertTrue(near.crosses and far.crosses)
        self.assertEqual(
            next(label.text for label in far.labels if label.role == "axis" and label.anchor == "end"), f"{START + dt.timedelta(days=270):%b %Y}"
        )
        self.assertNotEqual(
            next(label.text for label in near.labels if label.role == "axis" and label.anchor == "end"), f"{START + dt.timedelta(days=270):%b %Y}"
        )

    def test_a_chart_draws_the_band_of_each_day(self) -> None:
        """Light fades with the lamp: the band's lower edge falls, a new lamp lifts it again."""
        entries = [*every(range(10, 330, 30), uv__lamp_hours=lambda i: 240 + 720 * i, uv__intensity=lambda i: f"{98 - 2 * i} %"),
                   {"on": day(340), "did": "uv/lamp"}, *every([345, 375], uv__lamp_hours=lambda i: [100, 820][i], uv__intensity="98 %")]  # fmt: skip
        drawn = chart(self.look(self.well, entries), "uv.intensity", "light", "us")
        assert drawn is not None
        places = [tuple(map(float, place.split())) for place in drawn.bands[0].d[1:-1].split("L")]
        lower = places[len(places) // 2 :][::-1]
        self.assertGreater(lower[8][1], lower[1][1])  # down the page: less light
        self.assertLess(lower[-1][1], lower[8][1])


class Crosses(Read):
    def test_what_moves_less_than_a_reading_tells_crosses_nothing(self) -> None:
        """Half a grain more in three readings is within a drop of the kit; two grains are on their way; two readings are no way."""
        well = variant_of(WELL)

        def crosses(*gpg: float) -> bool:
            found = self.look(well, every(range(0, 30 * len(gpg), 30), soft__hardness_out=lambda i: f"{gpg[i]} gpg"))
            return next(series for series in found.series if series["key"] == "soft.hardness_out")["crosses"] is not None

        self.assertEqual([crosses(0, 0.25, 0.5), crosses(0, 0.7, 1.4), crosses(0, 1.4), crosses(6, 6)], [False, True, False, True])


class Series(Read):
    def test_names_units_and_services(self) -> None:
        """A drop is told by the pressure behind; permeate by the day; a name that no log has is refused."""
        drop = series("five.pressure_drop", ["five"])
        self.assertEqual((drop.unit, drop.own, drop.worked_out), ("kPa", "five.pressure_out", True))
        self.assertIn("five/cartridge", drop.anew)
        self.assertEqual((series("meter", []).unit, series("five.iron_out", ["five"]).worked_out), ("L/day", False))
        with self.assertRaises(NotUnderstood):
            series("five.nothing", ["five"])

    def test_a_number_as_devices_write_it(self) -> None:
        """5e-06 in JSON is 0.000005, not an interval; what is no number is refused."""
        entries = [{"on": day(1), "readings": {"tap.turbidity": 5e-06, "tap.ph": 7}}]
        found = self.look(variant_of(WELL), entries).look.log.points
        self.assertEqual([found[key][0][1].low for key in ("tap.turbidity", "tap.ph")], [5e-06, 7.0])
        with self.assertRaises(BadDocument):
            self.look(variant_of(WELL), [{"on": day(1), "readings": {"tap.ph": float("nan")}}])

    def test_permeate_by_the_day_or_by_the_minute(self) -> None:
        """60 gal a day = 60 × 3.785411784 ÷ 1440 L/min; 158 mL in a minute are as much; a bare number is by the day, as it is shown."""
        key = log_key("ro.permeate_flow", ["ro"])
        wanted = 60 * 3.785411784 / 1440
        for text in ("60 gpd", "60 gal/day", f"{wanted} L/min", f"{wanted * 1000} mL/min", key.typed("60", "us")):
            self.assertAlmostEqual(key.read(text)[0], wanted, msg=text)


class Believed(Read):
    def setUp(self) -> None:
        self.well = variant_of(WELL)

    def test_the_newest_of_a_way_that_began_before_is_no_outlier(self) -> None:
        """Soft, soft, soft, 4 gpg, 12 gpg: hardness comes, and the last reading is not the slip."""
        entries = every(range(0, 75, 15), soft__hardness_out=lambda i: ["0 gpg", "0 gpg", "0 gpg", "4 gpg", "12 gpg"][i])
        self.assertEqual(self.look(self.well, entries).look.doubted, [])

    def test_a_counter_that_began_anew(self) -> None:
        """9900 h, then 20 and 700: a lamp nobody wrote down, told once and not held against it; 912 among 8600 and 9320 is a slip."""
        anew = self.look(self.well, every(range(0, 150, 30), uv__lamp_hours=lambda i: [8600, 9320, 9900, 20, 700][i]))
        self.assertEqual([doubt.on for doubt in anew.look.doubted], [START + dt.timedelta(days=90)])
        self.assertIn("the counter reset", anew.look.doubted[0].why)
        self.assertEqual(anew.look.bands.state.lamp_age(self.well.run.stages[4]), 700)
        self.assertNotIn("lamp-old", [cause.id for cause in anew.causes])
        slip = self.look(self.well, every(range(0, 120, 30), uv__lamp_hours=lambda i: [7880, 8600, 912, 9320][i]))
        self.assertEqual(slip.look.readings.last("uv.lamp_hours"), (START + dt.timedelta(days=90), 9320.0))
        self.assertIn("lamp-old", [cause.id for cause in slip.causes])

    def test_what_a_membrane_makes_is_no_slip(self) -> None:
        """2.5 mg/L of dissolved solids no well has; permeate may, and raw water that says so is doubted."""
        tap = variant_of(TAP, {"tds": "420 mg/L"})
        self.assertEqual(self.look(tap, every([30], ro__tds_out="2.5 mg/L")).look.doubted, [])
        self.assertEqual(len(self.look(tap, every([30], ro__tds_in="2.5 mg/L")).look.doubted), 1)

    def test_a_band_is_as_wide_as_what_is_read(self) -> None:
        """Alkalinity of which no field test is known: a quarter of it either way, not a quarter of a milligram."""
        band = self.look(self.well, every([30], stone__alkalinity_out="80 mg/L as CaCO3")).look.bands.band("stone.alkalinity_out")
        assert band is not None and band.low is not None and band.high is not None
        values = [water.value("alkalinity") for water in (self.well.run.stages[0].water_out, self.well.run.stages[0].mild_out)]
        self.assertAlmostEqual(band.high, max(values) * 1.25)
        self.assertAlmostEqual(band.low, min(values) - 0.25 * max(values))

    def test_one_slip_is_doubted_once(self) -> None:
        """A pressure typed in another unit stands alone, and the drop it would make is not a second doubt."""
        entries = every(range(0, 300, 30), five__pressure_in="50 psi", five__pressure_out=lambda i: "330 psi" if i == 5 else "47 psi")
        self.assertEqual(
            [(doubt.key, doubt.on) for doubt in self.look(self.well, entries).look.doubted], [("five.pressure_out", START + dt.timedelta(days=150))]
        )


class Judged(Read):
    """Causes that a reader of other logs missed, each with a near miss."""

    def setUp(self) -> None:
        self.well = variant_of(WELL)

    def test_stone_that_is_due_while_ph_sinks(self) -> None:
        """pH sinks within its band and the top-up is long due: low; topped up meanwhile, nothing is said."""
        sinks = every(range(60, 760, 60), stone__ph_out=lambda i: f"{7.3 - 0.05 * i:.2f}")
        self.fires("calcite-low", self.well, sinks, [*sinks, {"on": day(725), "did": "stone/medium"}])

    def test_a_channel_is_not_an_empty_bed(self) -> None:
        """As it arrives at flow, and well at a trickle: a channel alone."""
        raw = self.well.run.raw.ph
        pairs = every(range(60, 240, 30), stone__ph_out=lambda i: f"{raw}" if i % 2 else "7.2", stone__flow=lambda i: "12 gpm" if i % 2 else "1 gpm")
        self.assertEqual(self.causes(self.well, pairs), ["bed-channelled"])

    def test_a_residual_read_anywhere_before_the_carbon(self) -> None:
        """No chlorine behind the tank, or before the bed: lost; behind the carbon none is as designed."""
        fed = variant_of(
            [
                {"kind": "chemical_feed", "id": "feed", "chemical": "chlorine"},
                {"kind": "retention_tank", "id": "tank"},
                {"kind": "carbon", "id": "carbon"},
            ]
        )
        near = every([30, 60, 90], carbon__free_chlorine_out="0 mg/L")
        weak = every(
            range(0, 42, 7),
            tank__free_chlorine_out=lambda i: f"{[1, 0.9, 0.7, 0.5, 0.3, 0.2][i]} mg/L",
            feed__solution_level=lambda i: f"{60 - 5 * i} cm",
        )
        self.fires("solution-weak", fed, weak, every(range(0, 42, 7), tank__free_chlorine_out="1 mg/L"))
        for key in ("tank__free_chlorine_out", "tank__free_chlorine_in", "carbon__free_chlorine_in"):
            self.fires("feed-lost", fed, every([30, 60, 90], **{key: lambda i: "0 mg/L" if i else "1 mg/L"}), near)

    def test_no_chlorine_at_a_tap_behind_carbon_is_as_designed(self) -> None:
        """No feed is lost where carbon takes out what it gives; where the tap had a residual before, the carbon not renewed, it is."""
        fed = variant_of(
            [
                {"kind": "chemical_feed", "id": "feed", "chemical": "chlorine"},
                {"kind": "retention_tank", "id": "tank"},
                {"kind": "carbon", "id": "carbon"},
            ]
        )
        self.assertEqual(self.causes(fed, every([30, 60, 90], tap__free_chlorine="0 mg/L")), [])
        went = every([30, 60, 90, 120], tap__free_chlorine=lambda i: ["0.5 mg/L", "0.5 mg/L", "0 mg/L", "0 mg/L"][i])
        self.fires("feed-lost", fed, went, [*went, {"on": day(75), "did": "carbon/medium"}])
        plain = variant_of([{"kind": "chemical_feed", "id": "feed", "chemical": "chlorine"}, {"kind": "retention_tank", "id": "tank"}])
        self.fires("feed-lost", plain, every([30, 60], tap__free_chlorine="0 mg/L"), every([30, 60], tap__free_chlorine="0.6 mg/L"))

    def test_a_lamp_of_which_nothing_was_written(self) -> None:
        """Water read at the lamp for three years says nothing of its age: the due date speaks of that; a lamp that was changed once and never again is old."""
        self.assertEqual(self.causes(self.well, every([1000], uv__ph_in="7.1")), [])
        self.fires("lamp-old", self.well, [{"on": day(5), "did": "uv/lamp"}, *every([1000], uv__ph_in="7.1")], every([1000], uv__ph_in="7.1"))

    def test_water_past_all_units_at_once(self) -> None:
        """Hardness as the well has it, not as the stone would send it on: the bypass is along them all, and no softener is blamed."""
        raw = self.well.run.raw
        open_ = every([210], stone__ph_out=f"{raw.ph}", iron__iron_out=f"{raw.iron} mg/L", soft__hardness_out=f"{raw.hardness} mg/L as CaCO3")
        self.assertEqual(self.causes(self.well, open_), ["bypass-open"])

    def test_more_salt_behind_a_membrane_than_before_it(self) -> None:
        """4200 behind 420: the meter, not the membrane."""
        tap = variant_of(TAP, {"tds": "420 mg/L"})
        wrong = every([30, 60], ro__tds_in="420 mg/L", ro__tds_out="4200 mg/L")
        self.fires("instrument", tap, wrong, every([30, 60], ro__tds_in="420 mg/L", ro__tds_out="42 mg/L"))
        self.assertEqual(self.causes(tap, wrong), ["instrument"])

    def test_salt_behind_a_membrane_alone(self) -> None:
        """Only what comes out was read: it is held against what the design feeds; twice as much as at first, and it leaks."""
        tap = variant_of(TAP, {"tds": "420 mg/L"})
        self.fires(
            "membrane-leaks",
            tap,
            every(range(30, 240, 30), ro__tds_out=lambda i: f"{20 + 6 * i} mg/L"),
            every(range(30, 240, 30), ro__tds_out="21 mg/L"),
        )

    def test_an_exchanger_of_nitrate_without_salt(self) -> None:
        """Nitrate comes through and the tank is empty: salt, and a danger where it is beyond the limit; with salt there it is not that."""
        held = variant_of([{"kind": "anion_exchange", "id": "anion", "target": "nitrate"}], {"nitrate": "15 mg/L as N"})
        passes = {"anion__nitrate_out": lambda i: "14 mg/L as N" if i > 2 else "2 mg/L as N"}
        empty = every(range(30, 180, 30), **passes, anion__salt_level=lambda i: f"{[40, 25, 10, 2, 0][i]} cm")
        self.fires(
            "salt-empty", held, empty, every(range(30, 180, 30), **passes, anion__salt_level=lambda i: f"{[40, 25, 40, 25, 40][i]} cm"), first=False
        )
        self.assertEqual(self.causes(held, empty), ["health-limit/nitrate", "salt-empty"])

    def test_treated_water_beyond_a_health_limit(self) -> None:
        """14 mg/L of nitrate nitrogen at a tap, limit 10: other water, and that boiling makes it worse; 8 is within. Years later it stands until the tap was tested thrice."""
        high = every([100], tap__nitrate="14 mg/L as N")
        found = self.fires("health-limit/nitrate", self.well, high, every([100], tap__nitrate="8 mg/L as N"))
        self.assertEqual(found.causes[0].severity, "danger")
        self.assertIn("Boiling makes it worse", " ".join(found.causes[0].evidence))
        self.assertIn("Use other water", found.causes[0].do[0])
        self.assertNotIn(BOIL, found.causes[0].do)
        self.assertIn("health-limit/nitrate", self.causes(self.well, high, as_of=900))
        self.assertNotIn("health-limit/nitrate", self.causes(self.well, high + every([500, 600, 700], tap__iron="0.02 mg/L"), as_of=900))

    def test_raw_water_that_moved_beyond_a_health_limit(self) -> None:
        """The train leaves the nitrate that came: a danger; iron that the train still takes out is none; read at source and first unit it is one cause."""
        moved = every([100, 130, 160], source__nitrate="16 mg/L as N", stone__nitrate_in="16 mg/L as N")
        found = self.look(variant_of(WELL, {"nitrate": "2 mg/L as N"}), moved)
        self.assertEqual([(cause.id, cause.severity) for cause in found.causes], [("source-changed/nitrate", "danger")])
        iron = self.look(self.well, every([100, 130, 160], source__iron=f"{self.well.run.raw.iron * 2} mg/L"))
        self.assertEqual([(cause.id, cause.severity) for cause in iron.causes], [("source-changed/iron", "fault")])

    def test_a_lamp_whose_sensor_sees_nothing(self) -> None:
        """0 % twice: out, a danger, and neither dirt nor age; 60 % of a young lamp is dirt."""
        dark = every([100, 110, 120], uv__intensity=lambda i: "0 %" if i else "97 %", uv__lamp_hours=2000)
        found = self.fires("lamp-out", self.well, dark, every([100, 110, 120], uv__intensity="60 %", uv__lamp_hours=2000))
        self.assertEqual(([cause.id for cause in found.causes], found.causes[0].severity), (["lamp-out"], "danger"))

    def test_a_counter_faster_than_the_clock(self) -> None:
        self.fires(
            "instrument", self.well, every([0, 10], uv__lamp_hours=lambda i: [100, 4000][i]), every([0, 10], uv__lamp_hours=lambda i: [100, 340][i])
        )

    def test_a_spring_that_is_turbid_each_year(self) -> None:
        """One turbid reading in each of three springs, clear between: a season, though the reading before the last was clear."""
        clear = [0, 91, 182, 273, 365, 456, 547, 638, 730]
        turbid = {0, 365, 730}
        found = self.look(self.well, every(clear, source__turbidity=lambda i: "9 NTU" if clear[i] in turbid else "0.4 NTU"))
        self.assertEqual([(cause.id, cause.severity) for cause in found.causes], [("season/turbidity", "advice")])

    def test_what_was_so_years_ago_says_nothing_of_today(self) -> None:
        """Each of these is offered while it is fresh; three years without a word later it is not: only what endangers stands until somebody looks again."""
        flows = {"ro__permeate_flow": lambda i: f"{0.2 - 0.015 * i:.3f} L/min", "source__temperature": "12 degC"}
        hard = {"soft__hardness_out": lambda i: "6 gpg" if i > 3 else "0.3 gpg"}
        months = range(30, 240, 30)
        told = {
            "leak": (
                self.well,
                [*every([200, 214], meter=lambda i: f"{1000 + 5600 * i} L"), {"on": day(214), "away": {"from": day(200), "to": day(214)}}],
            ),
            "pump-weak": (self.well, every(months, source__flow=lambda i: f"{7 - 0.6 * i} gpm")),
            "pressure-tank-waterlogged": (self.well, every(months, source__starts=lambda i: 600 * i + max(i - 3, 0) * 2500)),
            "house-side": (self.well, every(months, tap__pressure=lambda i: f"{300 - 25 * i} kPa", uv__pressure_out="330 kPa")),
            "instrument": (self.well, every([230], uv__intensity="200 %")),
            "valve-stuck": (self.well, every(months, **hard, soft__regenerations=40, meter=lambda i: f"{27000 * i} L")),
            "brine-not-drawn": (self.well, every(months, **hard, soft__salt_level="30 cm", soft__brine_level=lambda i: f"{20 + 4 * i} cm")),
            "lamp-out": (self.well, [{"on": day(230), "alarm": "uv"}]),
            "cartridge-clogged": (self.well, every(months, five__pressure_in="340 kPa", five__pressure_out=lambda i: f"{328 - 14 * i} kPa")),
            "membrane-fouled": (variant_of(TAP), every(months, **flows)),
            "more-use": (self.well, every(months, meter=lambda i: f"{2 * self.well.audit.duty.daily * 30 * i} L")),
        }
        for id, (variant, entries) in told.items():
            with self.subTest(id):
                self.assertIn(id, self.causes(variant, entries, as_of=240))
                self.assertNotIn(id, self.causes(variant, entries, as_of=240 + 1100))

    def test_a_leak_that_was_mended(self) -> None:
        """Water ran in one absence and none in the next: over."""
        first = [*every([200, 214], meter=lambda i: f"{1000 + 5600 * i} L"), {"on": day(214), "away": {"from": day(200), "to": day(214)}}]
        then = [*every([300, 314], meter=lambda i: f"{90000 + 10 * i} L"), {"on": day(314), "away": {"from": day(300), "to": day(314)}}]
        self.fires("leak", self.well, first, [*first, *then])

    def test_what_was_smelt_years_ago(self) -> None:
        """A smell of hot water this year asks for the heater; one of three years ago does not."""
        now = [{"on": day(1100), "seen": ["rotten_egg_hot_only"]}]
        self.fires("heater", self.well, now, [{"on": day(5), "seen": ["rotten_egg_hot_only"]}, {"on": day(1100), "note": "fine"}])


class InTheJobsUnits(Read):
    def test_no_sentence_speaks_in_others(self) -> None:
        """Evidence, due dates and doubts of one log: gallons, grains, psi and pounds in one job, litres, bar and kilograms in the other."""
        months = range(30, 400, 30)
        entries = [
            *every(months, soft__hardness_out=lambda i: "9 gpg" if i > 4 else "0 gpg", soft__regenerations=40, meter=lambda i: f"{60000 * i} L", soft__iron_in="0.9 mg/L",
                   five__pressure_in="50 psi", five__pressure_out=lambda i: f"{49 - 1.4 * i} psi", stone__ph_out=lambda i: f"{7.2 - 0.07 * i}"),
            *({"on": day(on), "did": "soft/salt", "amount": "80 lb"} for on in (20, 60, 95)),
            *every([402, 409], meter=lambda i: f"{900000 + 4000 * i} L"), {"on": day(409), "away": {"from": day(402), "to": day(409)}},
            *every([405], iron__iron_out="80 mg/L", iron__hardness_out="99 gpg"), *every([410], meter="5 L"), *every([411], source__hardness="40 gpg"),
        ]  # fmt: skip
        for units, others in (("us", r"\d (L|L/day|kPa|bar|kg|cm|mg/L CaCO)\b"), ("metric", r"\d (gal|gal/day|gpg|psi|lb|in|gpm)\b")):
            found = self.look(variant_of(WELL, job={"units": units}), entries)
            said = [line for cause in found.causes for line in (*cause.evidence, *cause.against)]
            said += [each.why for each in found.due] + [doubt.why for doubt in found.look.doubted]
            self.assertGreater(len(said), 20)
            for line in said:
                self.assertNotRegex(line, others)
                self.assertNotRegex(line, r"\bPH\b|\b1 days\b")


class AnyReading(Read):
    @fuzz(25)
    @given(st.randoms(use_true_random=False))
    def test_what_is_as_designed_is_no_fault(self, random: Any) -> None:
        """Any one reading inside its band, on any golden job: no danger, no fault, no doubt."""
        variant = variant_of_job(random.choice(frozen())["job"])
        ids = [stage.id for stage in variant.run.stages]
        empty = self.look(variant, [], as_of=400)
        for name in random.sample(known_keys(ids), 8):
            key, on = log_key(name, ids), random.randint(0, 400)
            band = empty.look.bands.band(name, START + dt.timedelta(days=on))
            if band is None or name == "meter" or (key.analyte is not None and key.analyte.is_microbe):
                continue
            low = band.low or 0.0
            value = low + random.uniform(0.01, 0.99) * ((2 * low + 1 if band.high is None else band.high) - low)
            text = f"{value:.6f} {'' if key.unit in ('1', 'hour', 'day', 'pH') else key.unit}".strip()
            found = self.look(variant, [{"on": day(on), "readings": {name: text}}], as_of=400)
            self.assertEqual([cause.id for cause in found.causes if cause.severity in ("danger", "fault")], [], f"{name} {text}")
            self.assertEqual(found.look.doubted, [], f"{name} {text}")
