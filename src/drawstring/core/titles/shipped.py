"""The templates that come with the house: a slate, a presentation plate, a box cover, a storyboard strip."""

from __future__ import annotations

from typing import Any

from drawstring.core.titles.template import Align, Element, Fits, Kind, Template


def _text(text: str, box: tuple[float, float, float, float], size: float, **more: Any) -> Element:
    return Element(kind=Kind.TEXT, text=text, box=box, size=size, **more)


def _slate() -> Template:
    lines = [
        ("Shot", "{shot}  {title}"), ("Version", "v{version}"), ("Frames", "{frames}"),
        ("Rate", "{rate} fps"), ("Size", "{size}"), ("Date", "{date}"),
    ]  # fmt: skip
    elements = [
        Element(kind=Kind.PICTURE, box=(0.42, 0.16, 0.52, 0.52), group="picture"),
        _text("{show}", (0.06, 0.06, 0.88, 0.09), 0.065, is_strong=True),
    ]
    for i, (label, value) in enumerate(lines):
        top = 0.18 + 0.085 * i
        elements.append(_text(label, (0.06, top, 0.1, 0.06), 0.032, colour="#9a9a9a", group="facts"))
        elements.append(_text(value, (0.16, top, 0.24, 0.075), 0.034, group="facts"))
    elements.append(_text("{note}", (0.42, 0.71, 0.52, 0.14), 0.032, colour="#d8d8d8", group="picture"))
    # Steps of grey, so that whoever sees it can tell how the screen is set.
    for i in range(11):
        level = round(255 * i / 10)
        elements.append(
            Element(
                kind=Kind.BOX, box=(0.06 + 0.08 * i, 0.9, 0.08, 0.05), colour="#" + 3 * f"{level:02x}",
                group="greys",
            )
        )  # fmt: skip
    return Template(
        name="slate", says="What is seen, before it is seen: facts, a picture, steps of grey.",
        elements=tuple(elements),
    )  # fmt: skip


def _plate() -> Template:
    return Template(
        name="presentation plate", says="One picture with room around it, and its name below.",
        ground="#f2efe9",
        elements=(
            Element(kind=Kind.BOX, box=(0.078, 0.074, 0.844, 0.752), colour="#ffffff", group="picture"),
            Element(kind=Kind.PICTURE, box=(0.088, 0.09, 0.824, 0.72), group="picture"),
            _text("{title}", (0.088, 0.86, 0.6, 0.065), 0.045, colour="#20201e", is_strong=True),
            _text("{show}, {shot}", (0.088, 0.922, 0.6, 0.05), 0.026, colour="#6b675f"),
            _text("{date}", (0.7, 0.922, 0.212, 0.05), 0.026, colour="#6b675f", align=Align.RIGHT),
        ),
    )  # fmt: skip


def _cover() -> Template:
    return Template(
        name="box cover", says="Upright, the picture to its edges, the title over it.",
        width=2480, height=3508, dpi=300,
        elements=(
            Element(kind=Kind.PICTURE, box=(0, 0, 1, 1), fits=Fits.FILLED),
            Element(kind=Kind.BOX, box=(0, 0.66, 1, 0.34), colour="#000000", opacity=0.55, group="title"),
            _text(
                "{show}", (0.08, 0.69, 0.84, 0.11), 0.08, is_strong=True, align=Align.CENTRE, group="title"
            ),
            _text("{title}", (0.08, 0.81, 0.84, 0.06), 0.036, align=Align.CENTRE, group="title"),
            _text(
                "{note}", (0.14, 0.88, 0.72, 0.08), 0.02, align=Align.CENTRE, colour="#d8d8d8", group="title"
            ),
        ),
    )  # fmt: skip


def _storyboard() -> Template:
    elements = [
        _text("{show}", (0.04, 0.04, 0.6, 0.06), 0.036, colour="#20201e", is_strong=True),
        _text("{date}", (0.66, 0.045, 0.3, 0.05), 0.024, colour="#6b675f", align=Align.RIGHT),
    ]
    for i in range(6):
        left, top = 0.04 + 0.31 * (i % 3), 0.13 + 0.43 * (i // 3)
        group = f"panel {i + 1}"
        elements += [
            Element(kind=Kind.BOX, box=(left, top, 0.3, 0.3), colour="#e4e0d8", group=group, picture=i + 1),
            Element(kind=Kind.PICTURE, box=(left, top, 0.3, 0.3), picture=i + 1, group=group),
            _text(
                "{shot}  {title}", (left, top + 0.31, 0.3, 0.04), 0.024, colour="#20201e", is_strong=True,
                picture=i + 1, group=group,
            ),
            _text(
                "{frames}", (left, top + 0.35, 0.3, 0.04), 0.02, colour="#6b675f", picture=i + 1, group=group
            ),
        ]  # fmt: skip
    return Template(
        name="storyboard strip", says="Six shots to a page, in the order they were chosen.", width=3508,
        height=2480, dpi=300, ground="#f7f5f0", elements=tuple(elements),
    )  # fmt: skip


SHIPPED = (_slate(), _plate(), _cover(), _storyboard())
