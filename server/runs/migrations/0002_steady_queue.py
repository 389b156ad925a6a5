"""Keep the job queue quick after a burst.

With statistics taken while the table of jobs is nearly empty, PostgreSQL plans the fetch of a job as a
nested loop over the backlog. Without sorts it keeps to the index.
"""

from django.db import migrations

SIGNATURE = "procrastinate_fetch_job_v2(character varying[], bigint)"


class Migration(migrations.Migration):
    dependencies = [("runs", "0001_initial"), ("procrastinate", "0041_post_retry_failed_job")]
    operations = [
        migrations.RunSQL(f"ALTER FUNCTION {SIGNATURE} SET enable_sort = off", f"ALTER FUNCTION {SIGNATURE} RESET enable_sort"),
    ]
