"""Which backups a rule keeps, why, and until when. It returns verdicts; it removes nothing."""
