import { api } from './client';
import type { Calibration, CalibrationPair, SignalMeaning } from './schema';

/** Works out the line through pairs of what a signal said and what was right. */
export const calibrate = (path: string, pairs: CalibrationPair[]): Promise<Calibration> =>
  api.post<Calibration>(`${path}/meaning/calibration`, { pairs });

/** Makes a calibration the last step of a signal's conversion. */
export const keepCalibration = (path: string, { meaning }: Calibration): Promise<SignalMeaning> =>
  api.put<SignalMeaning>(`${path}/meaning`, { meaning });
