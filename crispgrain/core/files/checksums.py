"""Checksums of results, as ``sha256sum --check`` reads them."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from pathlib import Path

from ..atomic import atomic_write

NAME = "SHA256SUMS"


def write_sums(folder: Path, files: Iterable[Path]) -> Path:
    """Write the SHA-256 (FIPS 180-4) of each file, named from the folder, to a new file there.

    Names with a line break are escaped as GNU coreutils do it, with a backslash before the sum.
    """
    lines = []
    for path in sorted(set(files)):
        with path.open("rb") as file:
            digest = hashlib.file_digest(file, "sha256").hexdigest()
        name = str(path.absolute().relative_to(folder.absolute()))
        escaped = name.replace("\\", "\\\\").replace("\n", "\\n")
        lines.append(("\\" if escaped != name else "") + f"{digest}  {escaped}\n")
    return atomic_write(folder / NAME, lambda target: target.write_text("".join(lines), encoding="utf-8"))
