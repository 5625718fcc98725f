"""What people look at: drawn only from a crate, as an engine would."""
