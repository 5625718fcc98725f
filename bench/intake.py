"""Our side of the same: frames taken in and prepared with the settings given, and nothing written."""

import sys

from agile_crate.pipeline.gather import unheard
from agile_crate.pipeline.load import intake
from agile_crate.settings.given import settings_from
from agile_crate.workers.pool import crew

folder, *given = sys.argv[1:]
settings = settings_from(dict(word.split("=", 1) for word in given))
with crew() as executor:
    intake([folder], frozenset(), settings, executor, unheard)
