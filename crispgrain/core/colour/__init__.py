"""Colour spaces, transfer curves and ICC profiles."""
