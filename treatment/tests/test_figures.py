"""A formula stands once: what is shown is what is computed, by named constants, and every line can be redone by hand."""

from __future__ import annotations

import ast
import math
import re
from collections.abc import Iterator
from unittest import TestCase

from ..design import Design, design
from ..job_file import read_job
from ..language.figure import Figure, Line, compiled, constants, figure, solved, stated, work
from . import golden

#: plain numbers an expression may hold: counts, conversions of decimal units and of time, and what belongs to a formula itself
PLAIN = {"0", "1", "2", "3", "4", "6", "12", "16", "24", "60", "100", "365", "1000", "1440", "2000", "3600", "60000", "1000000"}
GUARDS = {"0.000000001", "0.000001", "0.05", "0.1", "0.25"}  # kept from dividing by nothing, or running away
MEMBRANE = {"2640", "298", "273", "1.8", "32", "77"}  # the two published laws of output at temperature
FUNCTIONS = {"min": min, "max": max, "sqrt": math.sqrt, "ln": math.log, "exp": math.exp, "ceil": math.ceil}


def redone(line: Line) -> float:
    """The expression worked out step by step from its numbers: an arithmetic of our own, not the one that computed it."""
    text = line.expression.replace("×", "*").replace("÷", "/").replace("−", "-").replace("^", "**")
    numbers = {name: value for name, (value, _) in line.values.items()}

    def value(node: ast.expr) -> float:
        if isinstance(node, ast.Constant):
            return float(node.value)  # type: ignore[arg-type]
        if isinstance(node, ast.Name):
            return numbers[node.id]
        if isinstance(node, ast.Call):
            assert isinstance(node.func, ast.Name)
            return float(FUNCTIONS[node.func.id](*map(value, node.args)))
        if isinstance(node, ast.UnaryOp):
            return -value(node.operand)
        assert isinstance(node, ast.BinOp), ast.dump(node)
        a, b = value(node.left), value(node.right)
        match node.op:
            case ast.Add():
                return a + b
            case ast.Sub():
                return a - b
            case ast.Mult():
                return a * b
            case ast.Div():
                return a / b
        return float(a**b)

    return value(ast.parse(text, mode="eval").body)


def figures_of(worked: Design) -> Iterator[tuple[str, Figure]]:
    """Every figure of a design, with its name: demand, pressure, each stage of its own train and of the proposal."""
    flows = worked.duty.demand
    yield from (("daily use", flows.daily_use), ("peak", flows.peak_flow), ("design flow", flows.design_flow), ("passable", flows.passable))
    for variant in (worked.chosen, worked.proposal):
        yield from (("left clean", variant.pressure.residual_clean), ("left dirty", variant.pressure.residual_dirty))
        for stage in variant.run.stages:
            yield from ((f"{stage.id}.{name}", each) for name, each in stage.figures.items())


class EveryLine(TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.lines: list[tuple[str, Line]] = []
        cls.loose: list[str] = []
        for row in golden.frozen():
            for name, each in figures_of(design(read_job(row["job"]))):
                cls.lines += [(f"{row['name']} {name}", line) for line in each.working]
                if not each.working or each.value != each.working[-1].value or each.unit != each.working[-1].unit:
                    cls.loose.append(name)

    def test_can_be_redone_from_its_numbers(self) -> None:
        """Every line of every golden design, to a millionth."""
        tried = 0
        for name, line in self.lines:
            if line.solved:
                continue
            again = redone(line)
            if abs(again - line.value) > 1e-6 * max(abs(line.value), abs(again)):
                self.fail(f"{name}, {line.symbol} = {line.expression}: {again} is not {line.value}")
            tried += 1
        self.assertGreater(tried, 5000)

    def test_is_the_last_that_a_figure_stands_on(self) -> None:
        """A figure is the result of its last line, in its unit."""
        self.assertEqual(self.loose, [])

    def test_names_its_constants(self) -> None:
        """No literal that the tables hold: what is neither a count nor a conversion stands by name."""
        odd = {
            (line.expression, number)
            for _, line in self.lines
            for number in re.findall(r"(?<![\w.])\d+(?:\.\d+)?", line.expression)
            if number not in PLAIN | GUARDS and not (number in MEMBRANE and "T" in line.given)
        }
        self.assertEqual(odd, set())

    def test_says_every_symbol_with_its_unit_and_source(self) -> None:
        """Each symbol of an expression has its number, and each line a source."""
        for name, line in self.lines:
            symbols = set(re.findall(r"[A-Za-z_]\w*", line.expression.removeprefix("solve"))) - set(FUNCTIONS)
            self.assertEqual(symbols, set(line.values), f"{name}: {line.expression}")
            self.assertTrue(line.cited, f"{name}: {line.symbol}")


class Formulas(TestCase):
    def test_the_expression_is_what_computes(self) -> None:
        """(3 + 1) × 2^3 ÷ 4 − 1 = 7; a function too: min(7, ceil(2.1)) = 3."""
        line = work("x", "(a + 1) × b^3 ÷ 4 − 1", "L", a=(3.0, "L"), b=(2.0, ""))
        self.assertEqual((line.value, line.result), (7.0, "7 L"))
        self.assertEqual(work("y", "min(x, ceil(z))", "L", x=(7.0, "L"), z=(2.1, "L")).value, 3.0)

    def test_a_constant_stands_with_its_number_and_unit(self) -> None:
        """10 gpg are 10 × 17.118061 = 171.18 mg/L, and the line says so."""
        line = work("hardness", "grains × gpg", "mg/L CaCO3", grains=(10.0, "gpg"))
        self.assertAlmostEqual(line.value, 171.18061)
        self.assertEqual(line.where["gpg"], "17.12 mg/L CaCO3 per gpg")
        self.assertEqual(line.with_numbers(), "10 × 17.12")

    def test_a_symbol_that_is_missing_too_many_or_a_constant_is_refused(self) -> None:
        """So that no line is computed from something else than it shows."""
        for given in ({"a": (1.0, "")}, {"a": (1.0, ""), "b": (1.0, ""), "c": (1.0, "")}):
            with self.assertRaises((ValueError, KeyError)):
                work("x", "a × b", "", **given)
        with self.assertRaises(ValueError):
            work("x", "a × gpg", "", a=(1.0, ""), gpg=(1.0, ""))

    def test_it_is_compiled_once(self) -> None:
        """The same expression is the same function."""
        self.assertIs(compiled("a ÷ b"), compiled("a ÷ b"))

    def test_no_constant_bears_the_name_of_a_function(self) -> None:
        self.assertFalse(set(constants()) & set(FUNCTIONS))

    def test_what_is_solved_or_stated_says_so(self) -> None:
        """solve(…) of what it was found from; a stated value under its name."""
        self.assertEqual(solved("pH", "CO2, alkalinity", 7.0, "pH", CO2=(1.0, "mg/L"), alkalinity=(2.0, "")).with_numbers(), "solve(1, 2)")
        self.assertEqual(figure(stated("life", "months", 6.0, "month")).as_json()["working"][0]["with_numbers"], "6")
