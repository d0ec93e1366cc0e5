"""One check a file: `check(job, results)` yields its findings."""
