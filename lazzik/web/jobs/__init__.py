"""Long work as jobs: begun by a request, followed by a page, stopped by a person."""

from lazzik.web.jobs.queue import Job, Jobs, NoJob, Running

__all__ = ["Job", "Jobs", "NoJob", "Running"]
