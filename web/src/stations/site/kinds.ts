import type { SiteFeature } from "../../api/client";

export const KINDS: { id: SiteFeature["kind"]; name: string }[] = [
  { id: "obstacle", name: "obstacle" },
  { id: "power_line", name: "power line" },
  { id: "canopy", name: "trees" },
  { id: "low_growth", name: "grass, heather, crop" },
  { id: "vehicle", name: "parked vehicle" },
  { id: "water", name: "water" },
  { id: "tide", name: "under the tide" },
  { id: "traffic", name: "traffic" },
  { id: "livestock", name: "livestock" },
  { id: "hazard", name: "hazard" },
  { id: "keep_out", name: "keep-out" },
  { id: "no_permission", name: "no permission" },
  { id: "access", name: "access" },
  { id: "gate", name: "gate" },
  { id: "airspace", name: "airspace" },
];
