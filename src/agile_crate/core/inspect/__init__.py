"""Inspection of frames for surveys."""
