/** Written by `scripts/types` from the core; a test keeps it current. */

/** The velocities at which a patch is compared. */
export const VELOCITIES = [{"name": "soft", "velocity": 40.0}, {"name": "medium", "velocity": 80.0}, {"name": "hard", "velocity": 118.0}] as const;

/** Samples a second of a sheet, a judgement and a sound. */
export const FULL_RATE = 48000 as const;

/** Samples a second of a sheet while something is dragged. */
export const DRAFT_RATE = 12000 as const;

/** Kinds of batch work. */
export const WORKS = [{"name": "check", "title": "Check", "says": "what the rules find in each, and how loud it is", "notes": ["keys", "velocities", "lengths", "seeds"], "options": [], "isSampleSet": false, "hasGain": false, "requires": []}, {"name": "measure", "title": "Measure", "says": "loudness, brightness, how long it is heard, where lanes settle", "notes": ["keys", "velocities", "lengths", "seeds"], "options": ["rate"], "isSampleSet": false, "hasGain": true, "requires": []}, {"name": "render", "title": "Render", "says": "a WAV file each", "notes": ["keys", "velocities", "lengths", "seeds"], "options": ["rate", "depth"], "isSampleSet": false, "hasGain": true, "requires": []}, {"name": "sweep", "title": "Sweep", "says": "where a control starts, stops, turns thin or harsh", "notes": ["keys", "velocities"], "options": ["of", "steps"], "isSampleSet": false, "hasGain": false, "requires": []}, {"name": "samples", "title": "Sample sets", "says": "WAV over keys and velocities, looped, with a map", "notes": ["keys", "velocities", "lengths", "seeds"], "options": ["rate", "depth", "samples"], "isSampleSet": true, "hasGain": false, "requires": []}, {"name": "sheet", "title": "Sheets", "says": "a page to print each", "notes": [], "options": ["ending", "paper", "card"], "isSampleSet": false, "hasGain": false, "requires": []}, {"name": "card", "title": "On a machine", "says": "where its controls stand, and what cannot be had", "notes": [], "options": ["card"], "isSampleSet": false, "hasGain": false, "requires": ["card"]}] as const;

/** Kinds of stored document that the library lists. */
export const DOCUMENTS = [{"name": "patch", "plural": "patches", "title": "patch"}, {"name": "phrase", "plural": "phrases", "title": "phrase"}, {"name": "take", "plural": "takes", "title": "take"}, {"name": "recording", "plural": "recordings", "title": "recording"}, {"name": "card", "plural": "cards", "title": "machine card"}] as const;
