"""Repairs of sails."""
from job import Job
from loft import Loft


def handle(path, body):
    if path != "/repairs":
        return {"error": "no repairs"}
    if not body.get("sail"):
        return {"error": "which sail?"}
    job = Job(body["sail"])
    for work in body.get("work", []):
        job.add(work)
    loft = Loft(body.get("rush", False))
    hours = loft.hours(job)
    return {
        "sail": job.sail,
        "steps": job.names(),
        "hours": hours,
        "cost": loft.cost(hours),
    }
