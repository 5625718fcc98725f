"""What can be asked for, one module each: the only ones that know several stops."""
