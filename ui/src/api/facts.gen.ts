/** Written by `scripts/types` from the core; a test keeps it current. */

/** The velocities at which a patch is compared. */
export const VELOCITIES = [{"name": "soft", "velocity": 40.0}, {"name": "middle", "velocity": 80.0}, {"name": "hard", "velocity": 118.0}] as const;

/** Samples a second of a sheet, a judgement and a sound. */
export const FULL_RATE = 48000 as const;

/** Samples a second of a sheet while something is dragged. */
export const DRAFT_RATE = 12000 as const;

/** Samples a second of the voices behind the strong one. */
export const COARSE_RATE = 4000 as const;
