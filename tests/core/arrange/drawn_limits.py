"""Limits of sheets as hypothesis draws them."""

from hypothesis import strategies as st

from agile_crate.core.arrange.sheet_size import SheetLimits, SheetRules
from agile_crate.core.model.geometry import Size


def limits(*largest: Size, aspects: tuple[int | None, ...], margin: int, gap: int) -> st.SearchStrategy[SheetLimits]:
    """Quick limits with one of these largest sizes and aspects, a margin and a gap of at most so much, turned or not."""
    sides = st.sampled_from(largest)
    rules = st.builds(SheetRules, sides, st.none(), st.booleans(), st.booleans(), st.sampled_from([1, 4]))
    spaces = {"margin": st.integers(0, margin), "gap": st.integers(0, gap)}
    return st.builds(
        SheetLimits, rules, st.sampled_from(aspects), **spaces, turn=st.booleans(), effort=st.just("quick")
    )
