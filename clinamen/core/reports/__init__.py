"""Reports of a proof, one module each. `REPORTS` is their registry."""

from clinamen.core.reports.base import REPORTS, Proved, Report
from clinamen.core.reports.junit import JUnit
from clinamen.core.reports.page import Page
from clinamen.core.reports.sarif import Sarif

for _report in (JUnit(), Sarif(), Page()):
    REPORTS.add(_report.id, _report)

__all__ = ["REPORTS", "Proved", "Report"]
