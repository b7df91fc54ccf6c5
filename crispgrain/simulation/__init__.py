"""The simulated camera: from a clean linear scene to the file that a camera would have written."""
