/** A look inside the sound, as it comes over the wire, unpacked. */
import { api, asBody, unwrap, type Patch } from './api';
import type { components } from './schema.gen';
import { bytes, floats } from './wire';
import type { Performed } from '../session/session';

type Wire = components['schemas']['SoundView'];

export interface Look extends Omit<
  Wire,
  'least' | 'greatest' | 'spectrogram' | 'bands' | 'spectrum_hz' | 'spectrum_db'
> {
  least: Float32Array;
  greatest: Float32Array;
  spectrogram: Uint8Array;
  bands: Float32Array[];
  hz: Float32Array;
  db: Float32Array;
}

export async function lookInto(patch: Patch, at: number, columns: number, performed: Performed = {}): Promise<Look> {
  const body = { document: asBody(patch), ...performed, at_s: at, columns };
  const wire = await unwrap(api.POST('/api/look', { body }));
  return {
    ...wire,
    least: floats(wire.least),
    greatest: floats(wire.greatest),
    spectrogram: bytes(wire.spectrogram),
    bands: wire.bands.map((band) => floats(band)),
    hz: floats(wire.spectrum_hz),
    db: floats(wire.spectrum_db)
  };
}
