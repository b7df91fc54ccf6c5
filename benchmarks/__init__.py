"""Quality, speed and memory, side by side with reference methods in one run."""
