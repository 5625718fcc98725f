"""Every setting once: declared in `table`, read from texts by `readers`, taken from what was given by `given`, held
against each other by `rules`, multiplied for other sizes by `portions`."""
