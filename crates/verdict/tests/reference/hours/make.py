"""Staffed or not at instants around changes of the clocks, by Python's zoneinfo (its own reader of the IANA database).

Writes cases.tsv: zone, shifts (days from-to, several with ;), closed days, instant (UTC), staffed.
"""
import datetime as dt
import random
from zoneinfo import ZoneInfo

ZONES = ["Europe/London", "Europe/Vienna", "America/St_Johns", "America/New_York", "Australia/Lord_Howe",
         "Pacific/Chatham", "Asia/Kathmandu", "Pacific/Apia", "Atlantic/Azores", "UTC"]
SHIFTS = ["0,1,2,3,4 09:00-17:30", "4,5 22:00-02:00", "5,6 00:00-24:00", "6 01:15-01:45", "6 02:00-03:00;0 12:00-24:00",
          "0,1,2,3,4,5,6 18:00-09:00"]
CLOSED = ["", "2026-12-25 2026-03-29", "2026-10-25"]


def minutes(text):
    hours, minute = text.split(":")
    return int(hours) * 60 + int(minute)


def staffed(shifts, closed, local):
    """By walking over the days on which a shift could have begun."""
    for shift in shifts.split(";"):
        days, span = shift.split(" ")
        begin, end = (minutes(t) for t in span.split("-"))
        for back in (0, 1):
            day = local.date() - dt.timedelta(days=back)
            if str(day.weekday()) not in days.split(",") or day.isoformat() in closed.split():
                continue
            length = end - begin if end > begin else end + 1440 - begin
            since = back * 1440 + local.hour * 60 + local.minute - begin
            if 0 <= since < length:
                return True
    return False


def main():
    rng = random.Random(8)
    changes = [dt.datetime(2026, m, d, tzinfo=dt.timezone.utc) for m, d in
               [(3, 8), (3, 29), (4, 5), (10, 4), (10, 25), (11, 1), (2, 15), (3, 22), (12, 25), (9, 27)]]
    with open("cases.tsv", "w", encoding="utf-8") as out:
        for zone in ZONES:
            for change in changes:
                for _ in range(12):
                    at = change + dt.timedelta(minutes=rng.randrange(-1500, 2900))
                    shifts, closed = rng.choice(SHIFTS), rng.choice(CLOSED)
                    local = at.astimezone(ZoneInfo(zone))
                    row = [zone, shifts, closed, at.strftime("%Y-%m-%dT%H:%M:%SZ"), str(staffed(shifts, closed, local)).lower()]
                    out.write("\t".join(row) + "\n")


main()
