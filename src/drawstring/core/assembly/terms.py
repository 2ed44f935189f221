"""The sum that beauty is rebuilt from: proposed from what arrived, or read from what was typed.

A component is light x albedo in as many parts as came, or its finished pass; what is no surface is added as
it is. Light groups are another partition of the same picture, and are never added to components.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from drawstring.core.assembly.expression import Addend, Node, addends, quoted, read_expression
from drawstring.core.assembly.settings import AssemblySettings, Covered, Lobes, Partition, PartsHold
from drawstring.core.errors import DrawstringError
from drawstring.core.passes.recognition import Pass
from drawstring.core.passes.roles import LIT_ROLES, SHARE_ROLES, SURFACE_COLOURS, Role
from drawstring.core.recipe.pulls import has_alpha
from drawstring.core.recipe.sources import pass_named, pass_of

ALPHA = "alpha"
"""What an expression calls the picture's coverage."""

NO_TERMS = frozenset({Role.BEAUTY, Role.PLATE, Role.GROUND_PICTURE, Role.CLEAN_GROUND})
"""Lit roles that are pictures by themselves, and no part of one."""


@dataclass(frozen=True)
class Lobe:
    """How surfaces send light: finished, in parts, and the colour the parts have to be multiplied by."""

    whole: Role
    parts: tuple[Role, ...] = ()
    albedo: Role | None = None


LOBES = (
    Lobe(Role.DIFFUSE, (Role.DIFFUSE_DIRECT, Role.DIFFUSE_INDIRECT), Role.DIFFUSE_ALBEDO),
    Lobe(Role.SPECULAR, (Role.SPECULAR_DIRECT, Role.SPECULAR_INDIRECT), Role.SPECULAR_ALBEDO),
    Lobe(Role.TRANSMISSION, (Role.TRANSMISSION_DIRECT, Role.TRANSMISSION_INDIRECT), Role.TRANSMISSION_ALBEDO),
    Lobe(Role.SUBSURFACE, (Role.SUBSURFACE_DIRECT, Role.SUBSURFACE_INDIRECT), Role.SUBSURFACE_ALBEDO),
    Lobe(Role.VOLUME, (Role.VOLUME_DIRECT, Role.VOLUME_INDIRECT)),
    Lobe(Role.COAT),
    Lobe(Role.SHEEN),
    Lobe(Role.REFLECTION),
    Lobe(Role.REFRACTION),
    Lobe(Role.EMISSION),
    Lobe(Role.ENVIRONMENT),
)
"""In the order in which they are read aloud."""


@dataclass(frozen=True)
class Term:
    """One part of the sum.

    Attributes
    ----------
    name : str
        What its settings are called by: the pass that is its light.
    addend : Addend
    passes : tuple of str
        All it is made from.
    """

    name: str
    addend: Addend
    passes: tuple[str, ...]

    @property
    def node(self) -> Node:
        """What it is worked out by, without its sign."""
        return self.addend.node

    @property
    def sign(self) -> int:
        """1, or -1 where it is taken away."""
        return self.addend.sign

    @property
    def label(self) -> str:
        """How people read it."""
        return str(self.addend).replace("_", " ").replace(" * ", " × ")


def all_terms(passes: Sequence[Pass], settings: AssemblySettings) -> list[Term]:
    """Give every term of the chosen partition, also those that don't count.

    Parameters
    ----------
    passes : sequence of Pass
        Of one view, by their bare names.

    Raises
    ------
    SettingError
        An own sum can't be read.
    """
    text = sum_text(passes, settings)
    return terms_in(text, passes) if text else []


def counted_terms(passes: Sequence[Pass], settings: AssemblySettings) -> list[Term]:
    """Give the terms that are added up, of those that can be."""
    try:
        terms = all_terms(passes, settings)
    except DrawstringError:
        return []
    return [term for term in terms if settings.term(term.name).counts and not lacking(term, passes)]


def lacking(term: Term, passes: Sequence[Pass]) -> list[str]:
    """Give the passes that a term names and that did not come."""
    return [name for name in term.passes if name != ALPHA and pass_named(name, passes) is None]


def sum_text(passes: Sequence[Pass], settings: AssemblySettings) -> str:
    """Write the sum; empty where there is nothing to add up."""
    if settings.partition is Partition.OWN and settings.own.strip():
        return settings.own
    if settings.partition is Partition.LIGHTS:
        return " + ".join(light_texts(passes))
    return " + ".join(component_texts(passes, settings))


def light_texts(passes: Sequence[Pass]) -> list[str]:
    """Give light groups, and what may lie beside them."""
    groups = [quoted(one.name) for one in passes if one.role is Role.LIGHT_GROUP]
    beside = [pass_of(role, passes) for role in (Role.EMISSION, Role.ENVIRONMENT)] if groups else []
    return groups + [quoted(one.name) for one in beside if one is not None]


def component_texts(passes: Sequence[Pass], settings: AssemblySettings) -> list[str]:
    """Give what surfaces do, and what is no surface."""
    texts: list[str] = []
    for lobe in LOBES:
        whole = pass_of(lobe.whole, passes)
        parts = [one for one in (pass_of(role, passes) for role in lobe.parts) if one is not None]
        albedo = pass_of(lobe.albedo, passes) if lobe.albedo else None
        if whole is not None and (not parts or settings.lobes is Lobes.WHOLE):
            texts.append(quoted(whole.name))
        elif albedo is not None and settings.parts_hold is PartsHold.LIGHT:
            by = f" / {ALPHA}" if settings.covered is Covered.TWICE and has_alpha(passes) else ""
            texts += [f"{quoted(one.name)} * {quoted(albedo.name)}{by}" for one in parts]
        else:
            texts += [quoted(one.name) for one in parts]
    return texts


def terms_in(text: str, passes: Sequence[Pass]) -> list[Term]:
    """Take a sum apart at its top; each part is called by the light in it."""
    terms: list[Term] = []
    for addend in addends(read_expression(text)):
        names = tuple(addend.node.names())
        known = [one for one in (pass_named(name, passes) for name in names) if one is not None]
        light = next((one.name for one in known if one.role in LIT_ROLES), names[0] if names else "number")
        taken = sum(term.name == light or term.name.startswith(f"{light}_again") for term in terms)
        name = light if not taken else f"{light}_again{taken if taken > 1 else ''}"
        terms.append(Term(name.replace(".", "_"), addend, names))
    return terms


def unused(passes: Sequence[Pass], terms: Sequence[Term]) -> list[Pass]:
    """Give the passes that could be part of a picture, and are in no term."""
    used = {name for term in terms for name in term.passes}
    return [
        one for one in passes
        if one.name not in used and one.role not in NO_TERMS and one.role not in SURFACE_COLOURS
        and (one.role in LIT_ROLES or (one.role is Role.OTHER and len(one.channels) in (3, 4)))
    ]  # fmt: skip


def can_mix(passes: Sequence[Pass]) -> list[Pass]:
    """Give the passes that can be mixed into the picture by amount."""
    return [
        one for one in passes
        if one.name != Role.BEAUTY and one.role in (LIT_ROLES | SHARE_ROLES) - {Role.ALPHA, Role.BEAUTY}
    ]  # fmt: skip
