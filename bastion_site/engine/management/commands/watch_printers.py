"""Ask every watched printer every few seconds, until stopped."""

import time

from django.core.management.base import BaseCommand
from django.db import close_old_connections

from bastion_site.prints.watching import look_at_all

_EVERY_S = 2.0


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args, **options) -> None:
        while True:
            look_at_all()
            close_old_connections()
            time.sleep(_EVERY_S)
