"""Restoration as a library: one method a module, from arrays to arrays; it knows no files, treatments or windows."""
