"""Finished pictures on pages: print sheets at true size, and contact sheets, as PDF."""
