"""Texts of each format, as the freight office of the demo data would have them: for samples."""

from __future__ import annotations

EXAMPLES: dict[str, tuple[str, ...]] = {
    "email": ("desk@ternsound.example", "freight+qlp@ternsound.example", "o.keel@quays.example"),
    "idn-email": ("desk@ternsound.example", "käpt'n@quays.example"),
    "hostname": ("quays.example", "berth-7.ternsound.example"),
    "idn-hostname": ("quays.example", "fähre.example"),
    "ipv4": ("192.0.2.7", "198.51.100.24"),
    "ipv6": ("2001:db8::7", "2001:db8:0:1::24"),
    "uri": ("https://quays.example/berths", "https://ternsound.example/sailings?day=4#noon"),
    "uri-reference": ("/berths/7", "https://quays.example/berths"),
    "iri": ("https://quays.example/fähren",),
    "iri-reference": ("/fähren/7",),
    "uuid": ("5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5e", "0b0e5c2e-94f0-4c0e-8a1b-7f4e5a6c1d2b"),
    "date": ("2026-05-04", "2026-12-31"),
    "date-time": ("2026-05-04T09:30:00Z", "2026-05-04T11:45:00+02:00"),
    "time": ("09:30:00Z", "23:59:59+01:00"),
    "duration": ("PT2H15M", "P1DT12H"),
    "json-pointer": ("/crates/0", ""),
    "relative-json-pointer": ("1/crates", "0#"),
    "uri-template": ("/berths/{number}",),
    "regex": ("^[A-Z]{3}$",),
}
