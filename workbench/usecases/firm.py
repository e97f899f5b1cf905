"""What can be done to a company: its name and how its jobs begin, its mark, its prices."""

from __future__ import annotations

from collections.abc import Mapping

from ..outcome import Done
from ..records.firm import Workspace
from .acting import use_case


@use_case("money.change")
def keep(firm: Workspace) -> Done[None]:
    """What a company is called and how its jobs begin, as it was checked; from then on it has chosen."""
    firm.chosen = True
    firm.save()
    return Done(None)


@use_case("firm.manage")
def set_mark(firm: Workspace, mark: str) -> Done[None]:
    """The mark that papers bear: SVG, or a data address of a PNG; empty for none."""
    Workspace.objects.filter(pk=firm.pk).update(mark=mark)
    return Done(None)


@use_case("money.change")
def set_prices(firm: Workspace, prices: Mapping[str, float], rates: Mapping[str, str]) -> Done[None]:
    """A company's own prices (those that are not ours), and what it charges beside them."""
    Workspace.objects.filter(pk=firm.pk).update(prices=dict(prices), rates=dict(rates))
    return Done(None)
