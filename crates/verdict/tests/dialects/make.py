"""Writes the same rows in the dialects of Python's csv module (3.11): those of spreadsheet programs, with comma
and tab (excel, excel-tab), with semicolon and decimal comma (as they write where the comma is the decimal mark),
and of Unix programs (every cell in quotes). Run by hand; what it wrote is kept beside it."""

import codecs
import csv
import os

ROWS = [
    ["client", "name", "address", "languages", "country", "contact", "on"],
    ["Pell & Daughter Clocks", 'The "turret"', "https://turret.pell.example/", "en, cy", "GB", "keeper; bell", ""],
    ["Fähre Nord", "Two\nlines", "https://faehre.example/", "de", "DE", "", "/fahrplan/** kind:home"],
    ["=1+1 Sums", "'quoted'", "https://sums.example/", "", "", "a,b;c\td", ""],
]


class Semicolon(csv.excel):
    delimiter = ";"


def write(name, dialect, encoding="utf-8", mark=b""):
    path = os.path.join(os.path.dirname(os.path.abspath(__file__)), name)
    with open(path, "wb") as out:
        out.write(mark)
    with open(path, "a", encoding=encoding, newline="") as out:
        csv.writer(out, dialect=dialect).writerows(ROWS)


write("excel.csv", csv.excel)
write("excel-tab.csv", csv.excel_tab)
write("semicolon-utf8-mark.csv", Semicolon, mark=codecs.BOM_UTF8)
write("semicolon-windows-1252.csv", Semicolon, encoding="cp1252")
write("tab-utf16.csv", csv.excel_tab, encoding="utf-16-le", mark=codecs.BOM_UTF16_LE)
write("unix.csv", csv.unix_dialect)
