"""The trained networks that ship with the program, and how they are run."""
