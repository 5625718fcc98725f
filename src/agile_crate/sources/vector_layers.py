"""The named groups of a drawing in vectors, each drawn alone: what it needs of the others, and what that costs."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from xml.etree.ElementTree import Element

NAMESPACE = "http://www.w3.org/2000/svg"
LINKS = ("href", "{http://www.w3.org/1999/xlink}href")


def local_name(element: Element) -> str:
    """Return an element's name without the namespace of SVG; empty for comments and processing instructions."""
    return element.tag.removeprefix(f"{{{NAMESPACE}}}") if isinstance(element.tag, str) else ""


class Layers:
    """The named groups of a drawing, each to be drawn alone, with the elements outside of all groups. Groups that it
    refers to stay, hidden; the others are removed, so that each drawing costs only its own parts."""

    def __init__(self, root: Element, groups: Mapping[str, Element], costs: Mapping[Element, int]) -> None:
        self._root, self._groups, self._costs = root, groups, costs
        self._place = {part: index for index, part in enumerate(root)}
        self._counts = {part: sum(1 for _ in part.iter()) for part in root}
        ids = {group: {element.get("id") for element in group.iter()} for group in groups.values()}
        self._owner = {name: group for group, names in ids.items() for name in names if name}
        members = set(ids)
        self._common = [part for part in root if part not in members]
        common = {name for part in self._common for element in part.iter() for name in _references(element)}
        self._needed_by_all = self._closure(common | set(_references(root)))
        self._common_cost = 1 + sum(costs[part] for part in self._common if part in costs)
        self._common_count = sum(self._counts[part] for part in self._common)

    def needed(self, name: str) -> set[Element]:
        """The other groups that a group refers to, directly or through others."""
        own = self._groups[name]
        return (
            self._needed_by_all | self._closure({element for part in own.iter() for element in _references(part)})
        ) - {own}

    def cost(self, name: str) -> int:
        """Estimate the number of elements that are drawn for a group."""
        return self._common_cost + self._costs.get(self._groups[name], 0)

    def elements(self, name: str) -> int:
        """Return how many elements the drawing of a group holds."""
        return self._common_count + sum(self._counts[part] for part in (self._groups[name], *self.needed(name)))

    def alone(self, name: str) -> Element:
        """The drawing with only this group to be seen."""
        needed = self.needed(name)
        result = Element(self._root.tag, self._root.attrib)
        result.text = self._root.text
        for part in sorted((*self._common, self._groups[name], *needed), key=self._place.__getitem__):
            if part in needed:
                style = f"{part.get('style', '')};display:none"
                hidden = Element(part.tag, {**part.attrib, "display": "none", "style": style})
                hidden.extend(part)
                result.append(hidden)
            else:
                result.append(part)
        return result

    def _closure(self, names: set[str]) -> set[Element]:
        found: set[Element] = set()
        waiting = [self._owner[name] for name in names if name in self._owner]
        while waiting:
            group = waiting.pop()
            if group not in found:
                found.add(group)
                more = (name for element in group.iter() for name in _references(element))
                waiting += [self._owner[name] for name in more if name in self._owner]
        return found


def _references(element: Element) -> Iterator[str]:
    """Return the names of all elements that an element refers to: those it uses, and those they inherit from."""
    for key in LINKS:
        if link := element.get(key):
            yield link.strip().removeprefix("#")
    for value in (*element.attrib.values(), (element.text or "") if local_name(element) == "style" else ""):
        yield from re.findall(r"url\(\s*[\"']?#([^\"')]+)", value)
