"""Settings whose values may change over the frames.

`distance@1012` names a value at a frame: typed it makes or moves a key there, emptied it takes the key away;
`distance@1012.then` says how it goes on from there; `distance@table` makes keys of a whole table of frame and
value. So keys are settings like any other: refused, undone,
copied and typed into a shell in the same way.
"""

from __future__ import annotations

from typing import Any, Self

from pydantic import ValidationError

from drawstring.core.errors import SettingError
from drawstring.core.keys import Key, Then, Track
from drawstring.core.keys_from import read_table
from drawstring.core.settings import Settings, setting


class KeyedSettings(Settings):
    """A part of a knot in which values can be keyed."""

    keys: dict[str, Track] = setting({}, "Values that change over the frames, by setting.")

    @classmethod
    def keyed_names(cls) -> list[str]:
        """Give the settings that can be keyed."""
        return [
            name
            for name, field in cls.model_fields.items()
            if isinstance(field.json_schema_extra, dict) and field.json_schema_extra.get("keyed")
        ]

    def at(self, frame: float) -> Self:
        """Give the settings as they are at a frame: every keyed value in its place, no keys left.

        Examples
        --------
        >>> from drawstring.core.depth import FocusSettings
        >>> pull = FocusSettings().replaced(
        ...     {"distance@1": "2", "distance@1.then": "linear", "distance@5": "4"}, where="f", scene_unit="m"
        ... )
        >>> pull.at(3).distance
        3.0
        """
        parts = {name: part for name, part in self if isinstance(part, KeyedSettings)}
        now: dict[str, Any] = {name: part.at(frame) for name, part in parts.items()}
        now = {name: part for name, part in now.items() if part is not parts[name]}
        if not self.keys and not now:
            return self
        now |= {name: self._shaped(name, track.at(frame)) for name, track in self.keys.items()}
        return self.model_copy(update={**now, "keys": {}})

    def _shaped(self, name: str, flat: tuple[float, ...]) -> Any:
        return flat if isinstance(getattr(self, name), tuple) else flat[0]

    def _put(
        self, values: dict[str, Any], name: str, value: Any, *, where: str, scene_unit: str, frame: int | None
    ) -> None:
        name, _, at = name.partition("@")
        tracks: dict[str, Track] = dict(values["keys"])
        number, _, verb = at.partition(".")
        dotted = f"{where}.{name}"
        if at == "table":
            tracks[name] = self._from_table(name, value, values, where, scene_unit)
            values["keys"] = tracks
            return
        if at:
            frame = _frame(number, dotted)
        if verb:
            tracks[name] = self._gone_on(tracks.get(name), frame, verb, value, dotted)
        elif at and isinstance(value, str) and not value.strip():
            if name in tracks and frame is not None:
                left = tracks[name].without(frame)
                tracks = {n: t for n, t in tracks.items() if n != name} | ({name: left} if left else {})
        elif at or (name in tracks and frame is not None):
            assert frame is not None
            tracks[name] = self._keyed(tracks.get(name), frame, name, value, values, where, scene_unit)
        elif name in tracks:
            raise SettingError(
                f"{dotted} changes over the frames, and no frame was named.",
                where=dotted,
                why="One value for all frames would throw its keys away.",
                remedy=f"Name the frame ({dotted}@1012), or delete its keys first.",
            )
        else:
            super()._put(values, name, value, where=where, scene_unit=scene_unit, frame=frame)
        values["keys"] = tracks

    def _from_table(self, name: str, value: Any, values: dict[str, Any], where: str, unit: str) -> Track:
        """Make keys of a table of frame and value; each value has to be one that could be typed."""
        dotted, keys = f"{where}.{name}", list[Key]()
        table = value if isinstance(value, dict) else read_table(str(value), dotted)
        for frame, numbers in table.items():
            typed = " ".join(f"{number:.9g}" for number in numbers)
            (key,) = self._keyed(None, frame, name, typed, values, where, unit).keys
            keys.append(key.model_copy(update={"then": Then.LINEAR}))
            try:
                type(self).model_validate({name: values[name]})
            except ValidationError:
                raise SettingError(
                    f"{typed} at frame {frame} can't be {dotted}.", where=dotted, why="Nothing was changed.",
                    remedy="Check that line of the table.",
                ) from None  # fmt: skip
        return Track(keys=tuple(keys))

    def _keyed(
        self,
        track: Track | None,
        frame: int,
        name: str,
        value: Any,
        values: dict[str, Any],
        where: str,
        unit: str,
    ) -> Track:
        if name not in self.keyed_names():
            raise SettingError(
                f"{where}.{name} can't change over the frames.",
                where=f"{where}.{name}",
                why="Nothing was changed.",
                remedy=f"Keyed can be: {', '.join(self.keyed_names())}.",
            )
        read = self.read(name, value, where=where, scene_unit=unit)
        # The plain value follows, so that limits are checked by the same words and deleting all keys leaves
        # it.
        values[name] = read
        try:
            flat = tuple(float(v) for v in read) if isinstance(read, tuple | list) else (float(read),)
        except (TypeError, ValueError):
            raise SettingError(
                f"“{value}” can't be {where}.{name}.", where=f"{where}.{name}", why="Nothing was changed.",
                remedy="Type a number.",
            ) from None  # fmt: skip
        return track.with_key(frame, flat) if track else Track(keys=(Key(frame=frame, value=flat),))

    def _gone_on(self, track: Track | None, frame: int | None, verb: str, value: Any, dotted: str) -> Track:
        if verb != "then" or track is None or frame not in track.frames:
            raise SettingError(
                f"There is no key of {dotted} at frame {frame}.",
                where=dotted,
                why="Nothing was changed.",
                remedy=f"It has keys at {', '.join(map(str, track.frames))}." if track else "It has no keys.",
            )
        if value not in list(Then):
            raise SettingError(
                f"“{value}” is no way to go on.", where=dotted, why="Nothing was changed.",
                remedy=f"Choose {', '.join(Then)}.",
            )  # fmt: skip
        return track.with_then(frame, Then(value))


def _frame(text: str, where: str) -> int:
    try:
        return int(text)
    except ValueError:
        raise SettingError(
            f"“{text}” is no frame.", where=where, why="Nothing was changed.", remedy="Type a whole number."
        ) from None
