/** The nine stations, in their order along the line; keys 1 to 9 go there. */
export const STATION_IDS = ["brief", "site", "flight", "base", "control", "verdict", "day", "book", "close"] as const;
export type Station = (typeof STATION_IDS)[number];
