"""Processes of this machine."""

from __future__ import annotations

from pathlib import Path


def is_running(pid: int) -> bool:
    """Whether a process is at work; one that ended is not, even if nobody has asked yet how (a zombie, proc(5))."""
    try:
        state = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0]
    except OSError:
        return False
    return state not in ("Z", "X")
