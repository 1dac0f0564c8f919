"""Work over HTTP: watched and stopped."""

from drf_spectacular.utils import extend_schema
from rest_framework import viewsets
from rest_framework.decorators import action
from rest_framework.response import Response

from bastion_core.engine.keeping import plain
from bastion_site.api.records import JobRecord
from bastion_site.engine.queue import stop_job
from bastion_site.jobs.models import Job
from bastion_site.wire import wire


class JobView(viewsets.GenericViewSet):
    """Long work."""

    queryset = Job.objects.all()
    serializer_class = wire(JobRecord)

    @extend_schema(responses=wire(JobRecord))
    def retrieve(self, request, pk=None):
        """A job as it is now."""
        return Response(plain(JobRecord.of(self.get_object())))

    @extend_schema(request=None, responses=wire(JobRecord))
    @action(detail=True, methods=["post"])
    def stop(self, request, pk=None):
        """Ask a job to stop."""
        job = self.get_object()
        stop_job(job)
        job.refresh_from_db()
        return Response(plain(JobRecord.of(job)))
