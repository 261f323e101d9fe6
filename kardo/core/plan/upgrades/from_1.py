"""Version 1 to 2: one flight, one base, and a catalogue beside the plan."""

import hashlib

from kardo.core.arrays import Json

_V1_FLIGHT = {
    "camera": "mp20",
    "aircraft": "quad",
    "calibration": "earlier",
    "height": 60.0,
    "terrain_following": True,
    "forward_overlap": 75.0,
    "side_overlap": 75.0,
    "course": None,
    "margin_strips": 2,
    "margin_exposures": 2,
    "crossing_strips": 0,
    "crossing_height": None,
    "oblique_strips": 0,
    "oblique_tilt": 30.0,
    "speed": 6.0,
    "exposure_time": 0.001,
    "reserve": 28.0,
}
_V1_BASE = {"mark": None, "corrections": "fixed", "support": "tripod", "antenna": "disc", "readings": [1.6]}
_V1_CAMERAS = {
    "mp20": ("20 MP, mechanical shutter", 5472, 3648, 2.41, 8.8, "mechanical"),
    "mp45": ("45 MP full frame, mechanical shutter", 8192, 5460, 4.39, 35.0, "mechanical"),
    "mp12": ("12 MP, rolling shutter", 4000, 3000, 1.55, 4.5, "rolling"),
}
_V1_AIRCRAFT = {
    "quad": ("four-rotor", 30.0, 7.0, 15.0, 8.0, 2.0),
    "quad_large": ("four-rotor, interchangeable payload", 38.0, 8.0, 17.0, 10.0, 2.0),
    "wing": ("fixed wing", 55.0, 15.0, 20.0, 15.0, 4.0),
}
_V1_CALIBRATIONS = {
    "this_week": [0.7, 0.7, 0.7, 1e-4, 1e-4, 5e-6, 5e-6],
    "earlier": [2.0, 2.0, 2.0, 3e-4, 3e-4, 2e-5, 2e-5],
    "never": [30.0, 30.0, 30.0, 5e-2, 5e-2, 1e-3, 1e-3],
}
_V1_ANTENNAS = {
    "disc": ("geodetic antenna with ground plane", 0.165, 0.035, 0.091),
    "rover": ("compact receiver with antenna inside", 0.080, 0.050, 0.102),
}
_V1_METHODS = {
    "rtk_short": [{"epochs": 10, "after_min": 0.0}],
    "rtk_once": [{"epochs": 60, "after_min": 0.0}],
    "rtk_twice": [{"epochs": 60, "after_min": 0.0}, {"epochs": 60, "after_min": 45.0}],
}


def from_1(old: Json) -> Json:
    """The one flight and the one base become rows; what the catalogue held comes into the kit; a point hung on a mark
    hangs on a set-up of its own there, its antenna height read twice."""
    flight, base = _V1_FLIGHT | (old.get("flight") or {}), _V1_BASE | (old.get("base") or {})
    calibration = {"state": flight["calibration"], "sigma_io": _V1_CALIBRATIONS[flight["calibration"]]}
    own = {k: v for k, v in flight.items() if k != "calibration"}
    names = {m["id"]: m["name"] for m in old.get("marks", [])}
    hung = sorted({p["mark"] for p in old.get("control", []) if p.get("mark") is not None})
    state = base["corrections"]
    return {
        "format": "kardo-plan",
        "version": 2,
        "brief": old.get("brief") or {},
        "site": {
            "boundary": (old.get("site") or {}).get("boundary", []),
            "areas": old.get("areas", []),
            "ground": {"terrain": old.get("terrain")},
        },
        "kit": {
            "cameras": [_v1_camera(flight["camera"]) | {"calibration": calibration}],
            "aircraft": [_v1_aircraft(flight["aircraft"])],
            "batteries": [_v1_battery(flight["aircraft"])],
            "antennas": [_v1_antenna(base["antenna"])],
        },
        "marks": old.get("marks", []),
        "setups": [
            {"id": "base", "name": "base"} | {k: base[k] for k in ("mark", "support", "antenna", "readings")},
            *(
                {
                    "id": _v1_rover(mark),
                    "name": f"rover's base on {names.get(mark, mark)}"[:60],
                    "mark": mark,
                    "support": "tripod",
                    "antenna": base["antenna"],
                    "readings": [],
                }
                for mark in hung
            ),
        ],
        "flights": [
            {"id": "main", "name": "main flight", "battery": flight["aircraft"]}
            | own
            | {
                "hangs_on": {"on": "setup", "setup": "base"},
                "corrections": "none" if state == "code" else "both",
                "state": state,
            }
        ],
        "control": [_v1_point(p) for p in old.get("control", [])],
        "assumptions": {"edition": "2026-11", "overrides": old.get("assumptions") or {}},
    }


def _v1_point(point: Json) -> Json:
    own = {key: value for key, value in point.items() if key not in {"method", "mark"}}
    mark = point.get("mark")
    hangs_on = {"on": "setup", "setup": "base" if mark is None else _v1_rover(mark)}
    return own | {"hangs_on": hangs_on, "occupations": _V1_METHODS[point.get("method", "rtk_once")]}


def _v1_rover(mark: str) -> str:
    """The id of the rover's set-up on a mark; a long one is cut, with what keeps it apart."""
    return f"rover-{mark}" if len(mark) <= 34 else f"rover-{hashlib.sha256(mark.encode()).hexdigest()[:32]}"


def _v1_camera(key: str) -> Json:
    fields = ("name", "width_px", "height_px", "pixel_um", "focal_mm", "shutter")
    return {"id": key, "origin": {"id": key}, **dict(zip(fields, _V1_CAMERAS[key], strict=True))}


def _v1_aircraft(key: str) -> Json:
    name, _, cruise, fastest, turn, transit = _V1_AIRCRAFT[key]
    return {
        "id": key,
        "origin": {"id": key},
        "name": name,
        "cruise_m_per_s": cruise,
        "max_m_per_s": fastest,
        "turn_s": turn,
        "transit_min": transit,
    }


def _v1_battery(key: str) -> Json:
    minutes = _V1_AIRCRAFT[key][1]
    return {"id": key, "origin": {"id": key}, "name": f"{minutes:.0f} min", "minutes": minutes}


def _v1_antenna(key: str) -> Json:
    fields = ("name", "disc_radius", "edge_above_arp", "apc_above_arp")
    return {"id": key, "origin": {"id": key}, **dict(zip(fields, _V1_ANTENNAS[key], strict=True))}
