"""Views, drawn only from a crate, as an engine would."""
