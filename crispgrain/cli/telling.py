"""What a batch says while it runs: lines for people, or one JSON object a line for other programs."""

from __future__ import annotations

import json
import sys
import threading
from pathlib import Path

from crispgrain.core.render.progress import Progress


class Teller:
    """For people: names of results on standard output, all else on the other, with a bar if that is a terminal."""

    def __init__(self) -> None:
        self._said = threading.Lock()
        self.failed = 0
        self.results: list[Path] = []

    @property
    def written(self) -> int:
        return len(self.results)

    def remark(self, shot: Path, words: str) -> None:
        self._line(f"{shot.name}: {words}", error=True)

    def progress(self, shot: Path, progress: Progress) -> None:
        """How far a shot is; a bar on a terminal, nothing elsewhere."""
        if sys.stderr.isatty():
            filled = round(24 * progress.done / progress.total)
            bar = "█" * filled + "·" * (24 - filled)
            end = "\r" if progress.done < progress.total else "\r\033[K"
            with self._said:
                print(f"{shot.name}  {bar}  {progress.words}\033[K", end=end, file=sys.stderr, flush=True)

    def result(self, shot: Path, result: Path) -> None:
        self.results.append(result)
        self._line(str(result))

    def failure(self, shot: Path, words: str) -> None:
        self.failed += 1
        self._line(f"crispgrain: {words}", error=True)

    def trouble(self, words: str) -> None:
        """Why nothing goes on for now; empty when it does again."""
        self._line(f"crispgrain: {words or 'going on'}", error=True)

    def end(self) -> int:
        """The last line, and the exit code."""
        if self.failed:
            self._line(f"crispgrain: {self.failed} of {self.written + self.failed} failed", error=True)
        return 1 if self.failed else 0

    def _line(self, words: str, error: bool = False) -> None:
        with self._said:
            print(words, file=sys.stderr if error else sys.stdout, flush=True)


class JsonTeller(Teller):
    """For other programs: everything on standard output, each line an object with an ``event``."""

    def remark(self, shot: Path, words: str) -> None:
        self._event("remark", shot=str(shot), words=words)

    def progress(self, shot: Path, progress: Progress) -> None:
        self._event(
            "progress", shot=str(shot), done=progress.done, total=progress.total, seconds_left=progress.seconds_left
        )

    def result(self, shot: Path, result: Path) -> None:
        self.results.append(result)
        self._event("written", shot=str(shot), result=str(result))

    def failure(self, shot: Path, words: str) -> None:
        self.failed += 1
        self._event("failed", shot=str(shot), words=words)

    def trouble(self, words: str) -> None:
        self._event("waiting" if words else "going on", words=words)

    def end(self) -> int:
        self._event("end", written=self.written, failed=self.failed)
        return 1 if self.failed else 0

    def _event(self, event: str, **more: object) -> None:
        self._line(json.dumps({"event": event, **more}, ensure_ascii=False))
