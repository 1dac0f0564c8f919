"""The demo with everything computed, for the browser's tests."""

from bastion_site.builds.models import Build
from bastion_site.engine.management.commands.load_demo import load
from bastion_site.testing import recall, remember, work_off


def computed_demo(detail: float = 0.04) -> Build:
    """The demo with everything computed; what an earlier test computed under the same recipe is taken over."""
    build = load(detail)
    recall()
    work_off()
    remember()
    return build
