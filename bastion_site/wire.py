"""Dataclasses on the wire: the one place where they become serializers, and so the API's schema and the page's types.

Answers leave as the JSON that ``plain`` makes of a dataclass; questions are read through a serializer of theirs, so that what is wrong
is named by its field, and come out as JSON again for the core to judge.
"""

from collections.abc import Iterable, Mapping
from dataclasses import MISSING, dataclass, field, fields, make_dataclass
from functools import cache
from typing import Any

from rest_framework import serializers
from rest_framework_dataclasses.serializers import DataclassSerializer

from bastion_core.cut.parting import Cut
from bastion_core.engine.keeping import plain
from bastion_core.engine.recipe import decisions
from bastion_core.stations import RECIPES


class Wire(DataclassSerializer):
    """Base of all; nested dataclasses get the serializer of their own name."""

    def build_dataclass_field(self, field_name, type_info):
        own = _OWN.get(type_info.base_type)
        return (own or wire(type_info.base_type)), {}

    def build_standard_field(self, field_name, type_info):
        if type_info.base_type is Any:
            return serializers.JSONField, {}
        kind, known = super().build_standard_field(field_name, type_info)
        # A text that is empty where nothing is said may be sent empty, too.
        blank = type_info.base_type is str and self.dataclass_definition.fields[field_name].default == ""
        return kind, {**known, "allow_blank": True} if blank else known

    def to_internal_value(self, data):
        if self.root is self or not self.root.partial:
            return super().to_internal_value(data)
        # In a change only the outermost may lack fields: what is nested comes whole, and its defaults are its own.
        native = super(DataclassSerializer, self).to_internal_value(data)
        known = self.dataclass_definition.fields.values()
        lacking = [f.name for f in known if f.name not in native and f.default is MISSING and f.default_factory is MISSING]
        if lacking:
            raise serializers.ValidationError(dict.fromkeys(lacking, "This field is required."))
        return self.dataclass_definition.dataclass_type(**native)


@cache
def wire(kind: type):
    """The serializer of a dataclass."""
    meta = type("Meta", (), {"dataclass": kind, "ref_name": kind.__name__})
    return type(f"{kind.__name__}Serializer", (Wire,), {"Meta": meta, "__doc__": kind.__doc__})


class CutSerializer(wire(Cut)):
    """A plane; its limits are pairs of an earlier plane and the side of it."""

    limits = serializers.ListField(child=serializers.ListField(), required=False)

    class Meta:
        dataclass = Cut


_OWN: dict[type, type] = {Cut: CutSerializer}


def question(kind: type, bounds: Mapping[str, Mapping[str, Any]] | None = None, name: str = ""):
    """The serializer of a question: a dataclass with bounds a field (DRF's own words: min_value, max_value, max_length …)."""
    meta = type("Meta", (), {"dataclass": kind, "extra_kwargs": bounds or {}, "ref_name": name or kind.__name__})
    return type(f"{name or kind.__name__}Serializer", (Wire,), {"Meta": meta, "__doc__": kind.__doc__})


def asked(serializer: type, data: Any, partial: bool = False) -> dict[str, Any]:
    """What was asked, checked: the fields that were given, as JSON has them. ValidationError naming the fields that are wrong."""
    if not isinstance(data, Mapping):
        raise serializers.ValidationError("Send one JSON object.")
    reading = serializer(data=data, partial=partial)
    reading.is_valid(raise_exception=True)
    read = reading.validated_data
    names = [n for n in reading.fields if n in data or not partial]
    return {n: _as_sent(data.get(n), getattr(read, n)) for n in names}


def _as_sent(raw: Any, value: Any) -> Any:
    """A plain value as the serializer read it; what is made of several as it came, for the core to judge whole."""
    return raw if isinstance(raw, list | dict) else plain(value)


def _merged(name: str, kinds: Iterable[type]) -> type:
    """One dataclass with the fields of several."""
    return make_dataclass(name, [(f.name, f.type, field(default=f.default)) for kind in kinds for f in fields(kind)], frozen=True)


Decided = _merged("Decided", RECIPES)
Decided.__doc__ = "Every decision about a piece."


def labels_of_decisions() -> dict[str, dict[str, Any]]:
    """The name of every decision, in the serializer's words. Its bounds are the core's to judge, in a maker's words."""
    kwargs: dict[str, dict[str, Any]] = {}
    for kind in RECIPES:
        for name, known in decisions(kind).items():
            blank = {"allow_blank": True} if kind.__dataclass_fields__[name].type is str else {}
            kwargs[name] = {"label": known.label} | blank
    return kwargs


@dataclass(frozen=True)
class DecisionRecord:
    """What a page has to know of a decision: its label, unit, bounds, choices, and whether it may be left open."""

    key: str
    station: str
    label: str
    unit: str
    least: float | None
    most: float | None
    choices: tuple[str, ...]
    optional: bool


def decision_records(stations) -> list[DecisionRecord]:
    """Every decision there is."""
    return [
        DecisionRecord(name, s.key, d.label, d.unit, d.least, d.most, d.choices, getattr(s.recipe(), name) is None)
        for s in stations
        if s.recipe is not None
        for name, d in decisions(s.recipe).items()
    ]
