"""Open formats out: vCard 4.0, iCalendar, CSV, JSON and ZIP."""
