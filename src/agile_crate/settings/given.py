"""What was given for the settings: read, checked against each other, and told again for the metadata."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from fractions import Fraction
from typing import Any

from ..core.errors import UsageError
from ..core.sentence import setting
from ..core.text import percent, quoted
from .readers import scale
from .rules import contradictions
from .table import Option, PerAnimation, Settings, options


def read_setting(name: str, given: Any) -> Any:
    """The value of one setting from what was given for it: a flag, a text, or texts some of which say ``NAME=value``.

    Raises UsageError with a sentence that quotes the value and says what was expected.
    """
    option, default = options()[name]
    if option.read is None:
        return bool(given)
    try:
        if option.many:
            return tuple(map(option.read, _texts(given)))
        if not option.per_animation:
            return option.read(str(given))
        return _read_per_animation(option.read, default.everyone, given)
    except UsageError as error:
        raise UsageError(f"{setting(name)}: {error.sentence.marked}") from None


def _read_per_animation(read: Callable[[str], Any], default: Any, given: Any) -> PerAnimation[Any]:
    everyone, named = default, {}
    for text in _texts(given):
        animation, equals, value = text.rpartition("=")
        if equals:
            named[animation] = read(value)
        else:
            everyone = read(value)
    return PerAnimation(everyone, tuple(named.items()))


def _as_texts(option: Option, given: Any) -> Any:
    if option.read is None:
        return True
    return _texts(given) if option.many or option.per_animation else str(given)


def _texts(given: Any) -> list[str]:
    return [str(given)] if isinstance(given, (str, int, float, Fraction)) else list(map(str, given))


def remembered(settings: Settings) -> dict[str, Any]:
    """What was given of the settings by which frames differ, as texts: enough to take and change them again."""
    table = options()
    kept = {name: value for name, value in settings.given.items() if table[name][0].remembered and value is not False}
    result = {name: _as_texts(table[name][0], value) for name, value in kept.items()}
    if settings.portion != 1:
        text = percent(settings.portion)
        result["also_scale"] = text if scale(text) == settings.portion else str(settings.portion)
    return result


def settings_from(given: Mapping[str, Any]) -> Settings:
    """Settings from what was given, by field name; what is missing keeps its default. Raises UsageError."""
    unknown = sorted(set(given) - set(options()))
    if unknown:
        raise UsageError(f"there is no setting {quoted(unknown[0])}")
    read = {name: read_setting(name, value) for name, value in given.items()}
    settings = Settings(**read, given=dict(given))
    for contradiction in contradictions(settings):
        raise UsageError(contradiction)
    return settings
