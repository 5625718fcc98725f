"""Known findings that the survey leaves out, as long as their frames do not change.

The file is a JSON document, `{"format": "agile-crate survey baseline", "version": 1, "findings": [{"key", "code",
"sequence", "frames"}, …]}`. Only the key counts; the rest is for whoever reads the file, or its changes.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Mapping

from .facts import FrameFacts
from .finding import Finding

FORMAT = "agile-crate survey baseline"


def key_of(finding: Finding, frames: Iterable[FrameFacts]) -> str:
    """Return what a finding is known by, in hex: its code, and names and pixels of the frames of its sequence. `frames`
    are those of the sequence, or, of stills, those that it is about. A frame that changed makes it another finding."""
    values = [finding.code, *finding.frames, *(f"{frame.name} {frame.digest}" for frame in frames)]
    return hashlib.blake2b("\0".join(values).encode(), digest_size=16).hexdigest()


def baseline_text(findings: Mapping[str, Finding]) -> str:
    """The file's text, of findings by their keys, in an order that does not change with the folder's."""
    entries = [
        {"key": key, "code": finding.code, "sequence": finding.sequence, "frames": list(finding.frames)}
        for key, finding in findings.items()
    ]
    entries.sort(key=lambda entry: (entry["sequence"], entry["code"], entry["key"]))
    document = {"format": FORMAT, "version": 1, "findings": entries}
    return json.dumps(document, ensure_ascii=False, indent=2) + "\n"


def baseline_keys(text: str) -> frozenset[str]:
    """The keys in a file's text. Raises ValueError if it is another kind of file."""
    try:
        document = json.loads(text)
        if document["format"] != FORMAT or document["version"] != 1:
            raise ValueError("another format or version")
        keys = frozenset(entry["key"] for entry in document["findings"])
    except (RecursionError, KeyError, TypeError) as error:
        raise ValueError("another kind of file") from error
    if not all(isinstance(key, str) for key in keys):
        raise ValueError("another kind of file")
    return keys
