"""Once the demo's pieces are computed: lay its plates, and fill its log with a week of prints. Ends by itself; does nothing where there is a log."""

import time

from django.core.management.base import BaseCommand

from bastion_site.builds.models import Build
from bastion_site.engine.refresh import refresh_calendar
from bastion_site.jobs.models import Job
from bastion_site.prints.models import Run
from demo.printed import print_a_week
from demo.story import BUILD

_LOOK_S = 2.0


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args, **options) -> None:
        build = Build.objects.filter(name=BUILD).first()
        if build is None or Run.objects.filter(build=build).exists():
            return
        _wait()
        refresh_calendar(build)
        _wait()
        if print_a_week(build):
            refresh_calendar(build, "a week of prints")


def _wait() -> None:
    """Until no work is queued or under way."""
    while Job.objects.filter(state__in=Job.ACTIVE).exists():
        time.sleep(_LOOK_S)
