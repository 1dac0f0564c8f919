"""All addresses of the API; everything else is the front end's."""

from django.urls import include, path, re_path
from drf_spectacular.views import SpectacularAPIView
from rest_framework.routers import DefaultRouter

from bastion_site.builds.api import BuildView, JobView, PieceView, photo, stage_file, trade
from bastion_site.shop.api import PrinterView, ShopView, SpoolView
from bastion_site.wearers.api import WearerView, far_sheet

router = DefaultRouter()
router.include_root_view = False
router.register("builds", BuildView)
router.register("pieces", PieceView)
router.register("jobs", JobView)
router.register("wearers", WearerView)
router.register("printers", PrinterView)
router.register("spools", SpoolView)

urlpatterns = [
    path("api/", include(router.urls)),
    path("api/shop/", ShopView.as_view({"get": "retrieve", "patch": "partial_update"})),
    re_path(r"^api/stage/(?P<station>intake|preview|fit|cut)/(?P<hash_>[0-9a-f]{32,64})/$", stage_file),
    path("api/trade/", trade),
    path("api/far/<str:token>/", far_sheet),
    re_path(r"^api/photos/(?P<name>[0-9a-f]{40}\.(jpg|png|webp))$", photo),
    path("api/schema/", SpectacularAPIView.as_view()),
]
