"""All addresses of the API; everything else is the front end's."""

from django.urls import include, path, re_path
from drf_spectacular.views import SpectacularAPIView
from rest_framework.routers import DefaultRouter

from bastion_site.api.builds import BuildView
from bastion_site.api.drafts import DraftView
from bastion_site.api.files import (
    assembly_pictures,
    assembly_sheet,
    build_hardware,
    photo,
    piece_hardware,
    piece_strips,
    stage_file,
    takeaway,
)
from bastion_site.api.floor import everything, floor_view, labels, plate_3mf, what_if_all
from bastion_site.api.jobs import JobView
from bastion_site.api.links import LinkView, far_sheet
from bastion_site.api.pieces import PieceView
from bastion_site.api.runs import RunView, begin, logbook_csv
from bastion_site.api.scans import ScanView
from bastion_site.api.shop import CouponFitView, PrinterView, ShopView, SpoolView
from bastion_site.api.ticks import TickView
from bastion_site.api.trade import trade
from bastion_site.api.tryout import TryOutView
from bastion_site.api.wearers import WearerView

router = DefaultRouter()
router.include_root_view = False
router.register("builds", BuildView)
router.register("pieces", PieceView)
router.register("pieces", TryOutView, "tryout")
router.register("pieces", TickView, "tick")
router.register("drafts", DraftView)
router.register("jobs", JobView)
router.register("wearers", WearerView)
router.register("wearers", ScanView, "scan")
router.register("wearers", LinkView, "link")
router.register("printers", PrinterView)
router.register("spools", SpoolView)
router.register("coupons", CouponFitView)
router.register("runs", RunView, "run")

handler404 = "bastion_site.errors.not_here"
handler500 = "bastion_site.errors.broken_down"
urlpatterns = [
    path("api/runs/log.csv", logbook_csv),
    path("api/", include(router.urls)),
    path("api/shop/", ShopView.as_view({"get": "retrieve", "patch": "partial_update"})),
    re_path(r"^api/stage/(?P<station>pieces|preview|fit|cut|seen|join|print|finish)/(?P<hash_>[0-9a-f]{32,64})/$", stage_file),
    re_path(r"^api/assembly/(?P<hash_>[0-9a-f]{32,64})/$", assembly_pictures),
    path("api/pieces/<int:pk>/assembly.pdf", assembly_sheet),
    path("api/pieces/<int:pk>/takeaway/", takeaway),
    path("api/pieces/<int:pk>/hardware.csv", piece_hardware),
    path("api/builds/<int:pk>/hardware.csv", build_hardware),
    path("api/pieces/<int:pk>/strips.svg", piece_strips, {"kind": "svg"}),
    path("api/pieces/<int:pk>/strips.pdf", piece_strips, {"kind": "pdf"}),
    path("api/builds/<int:pk>/floor/", floor_view),
    path("api/builds/<int:pk>/what-if/", what_if_all),
    path("api/builds/<int:pk>/runs/", begin),
    re_path(r"^api/builds/(?P<pk>[0-9]+)/plates/(?P<plate_id>[0-9a-f]{12})\.3mf$", plate_3mf),
    path("api/builds/<int:pk>/labels.pdf", labels),
    path("api/builds/<int:pk>/everything.zip", everything),
    path("api/trade/", trade),
    path("api/far/<str:token>/", far_sheet),
    re_path(r"^api/photos/(?P<name>[0-9a-f]{40}\.(jpg|png|webp))$", photo),
    path("api/schema/", SpectacularAPIView.as_view()),
]
