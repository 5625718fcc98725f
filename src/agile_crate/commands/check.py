"""`pack --check`: find out which crates of crate files are stale, and why. Nothing is written."""

from __future__ import annotations

from typing import NamedTuple

from ..core.errors import CrateError, InputError
from ..core.model.variant import all_layers
from ..core.names import is_address
from ..crate_files.spec import CrateSpec
from ..crate_files.up_to_date import Unchanged, look_up
from ..pipeline.context import Context
from ..pipeline.job import name_rules
from ..sources.find import find
from ..storage.previous_build import previous_build
from .build import BuildOptions


class Checked(NamedTuple):
    """A checked crate: its number of frames, and the reasons why it is stale; none if it is up to date."""

    frames: int
    reasons: tuple[str, ...] = ()


def check_spec(spec: CrateSpec, options: BuildOptions, context: Context) -> Checked | CrateError:
    """Check one crate of a crate file. Digests decide if it is up to date; only a stale crate's frames are decoded."""
    try:
        spec = spec.overridden(options.overriding)
        job = options.job(spec)
        state = look_up(job, context)
        if isinstance(state, Unchanged):
            return Checked(state.frames)
        context = context._replace(limits=job.limits(context.limits))
        previous = state.previous if state else previous_build(job.target, context.limits, context.cache)
        if any(is_address(given) for layer in all_layers(job.variants) for given in layer):
            raise InputError("inputs at an address cannot be checked; build the crate instead")
        for layer in all_layers(job.variants) if state is None else ():
            # It raises what kept `look_up` from an answer.
            find(layer, previous.claimed, context.limits, name_rules(job.settings))
        from .stale import reasons  # loads NumPy, which crates that are up to date do without

        found = tuple(reasons(spec, previous, context))
        return Checked(len(previous.frames), found or ("a setting or another input changed",))
    except CrateError as error:
        return error
