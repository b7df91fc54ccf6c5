"""What is open, and what can be done with it, without a window: see :class:`.session.Session`."""
