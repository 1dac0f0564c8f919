"""What was kept before there were readings becomes readings, once."""

from importlib import import_module

from django.apps import apps
from django.test import TestCase

from bastion_site.wearers.models import Reading, Wearer

note = import_module("bastion_site.wearers.migrations.0003_readings_of_what_was_there").note


class Upgrade(TestCase):
    def test_each_measurement_gets_its_reading(self):
        old = Wearer.objects.create(name="Old", measurements={"stature_mm": 1700.0, "head_breadth_mm": 150.0})
        new = Wearer.objects.create(name="New")
        new.take("stature_mm", 1800.0, "board")
        note(apps, None)
        note(apps, None)
        self.assertEqual(dict(old.readings.values_list("key", "value_mm")), old.measurements)
        self.assertEqual(Reading.objects.filter(wearer=new).count(), 1)
        # A second reading is now averaged with what was there.
        old.take("head_breadth_mm", 152.0, "caliper", again=True)
        self.assertEqual(old.measurements["head_breadth_mm"], 151.0)

    def test_left_measurements_stay_as_history(self):
        wearer = Wearer.objects.create(name="A")
        wearer.take("stature_mm", 1800.0)
        wearer.leave("stature_mm")
        wearer.take_mean("stature_mm")
        self.assertEqual(wearer.measurements, {})
        self.assertEqual(wearer.readings.get().state, "past")
