"""PyPI icalendar and recurring-ical-events: the whole days of calendars of holidays with rules that such files
use. Writes cases.ics (calendars one after the other) and days.tsv (number of the calendar, day).
Run: python3 make.py"""
import datetime
import icalendar
import recurring_ical_events

RULES = [
    ("20200101", "20200102", "RRULE:FREQ=YEARLY"),
    ("20201225", "20201227", "RRULE:FREQ=YEARLY"),
    ("20200504", None, "RRULE:FREQ=YEARLY;BYMONTH=5;BYDAY=1MO"),
    ("20200831", None, "RRULE:FREQ=YEARLY;BYMONTH=8;BYDAY=-1MO"),
    ("20200101", None, "RRULE:FREQ=MONTHLY;BYMONTHDAY=13"),
    ("20260105", None, "RRULE:FREQ=WEEKLY;COUNT=5"),
    ("20260105", None, "RRULE:FREQ=WEEKLY;INTERVAL=2;UNTIL=20260401"),
    ("20260403", None, "RDATE;VALUE=DATE:20270326,20280414"),
    ("20200101", None, "RRULE:FREQ=YEARLY\nEXDATE;VALUE=DATE:20270101"),
    ("20240229", None, "RRULE:FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=29"),
    ("20260620", None, "RRULE:FREQ=DAILY;COUNT=3"),
]
calendars, rows = [], []
for n, (start, end, rule) in enumerate(RULES):
    lines = ["BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//Fenwick//EN", "BEGIN:VEVENT", f"UID:{n}", "DTSTAMP:20260101T000000Z",
             f"SUMMARY:Case {n}", f"DTSTART;VALUE=DATE:{start}"]
    if end:
        lines.append(f"DTEND;VALUE=DATE:{end}")
    lines += rule.split("\n") + ["END:VEVENT", "END:VCALENDAR"]
    text = "\r\n".join(lines) + "\r\n"
    calendars.append(text)
    days = set()
    for event in recurring_ical_events.of(icalendar.Calendar.from_ical(text)).between((2026, 1, 1), (2029, 1, 1)):
        day, last = event["DTSTART"].dt, event["DTEND"].dt if "DTEND" in event else event["DTSTART"].dt + datetime.timedelta(days=1)
        while day < last:
            if datetime.date(2026, 1, 1) <= day < datetime.date(2029, 1, 1):
                days.add(day)
            day += datetime.timedelta(days=1)
    rows += [f"{n}\t{d}" for d in sorted(days)]
open("cases.ics", "w", newline="").write("".join(calendars))
open("days.tsv", "w").write("\n".join(rows) + "\n")
