"""The result: described, drawn, restored, checked, compared."""
