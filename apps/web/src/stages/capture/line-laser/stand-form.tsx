import { useSyncExternalStore } from 'react';
import { Button } from '../../../shared/controls';
import { lineLaserClient } from './line-laser-client';
import { NumberRow } from '../../../shared/number-row';

/** Measures of the stand: typed in, or read off a picture of the empty platform. */
export function StandForm() {
  const { setup, estimate, shown } = useSyncExternalStore(lineLaserClient.subscribe, lineLaserClient.current);
  const { stand } = setup;
  const change = (part: Partial<typeof stand>): void => lineLaserClient.change({ stand: { ...stand, ...part } });
  return (
    <section aria-label="Measures of the stand" className="mt-4 flex flex-col gap-1.5">
      <h3 className="m-0 text-sm font-semibold">Measures of the stand</h3>
      <NumberRow
        title="Camera’s tilt"
        unit="°"
        min={-30}
        max={30}
        step={0.1}
        value={stand.tilt ?? 0}
        help="By how much the camera looks above level. A camera with a spirit level fills it in."
        onChange={(tilt) => change({ tilt })}
      />
      <NumberRow
        title="Camera’s roll"
        unit="°"
        min={-30}
        max={30}
        step={0.1}
        value={stand.roll ?? 0}
        help="By how much the picture’s right side stands above level. A camera with a spirit level fills it in."
        onChange={(roll) => change({ roll })}
      />
      <NumberRow
        title="Platform’s width"
        unit="mm"
        min={0}
        max={5000}
        step={1}
        value={setup.platform}
        help="Straight across; measure it with a ruler. What lies beyond its edge is left out; 0 keeps everything."
        onChange={(platform) => lineLaserClient.change({ platform })}
      />
      <Button onClick={() => lineLaserClient.estimate()} disabled={!shown || setup.platform <= 0}>
        Measure from the empty platform
      </Button>
      <p className="m-0 text-muted">
        Take everything off the platform, let the laser cross its middle, then press. It reads the rest from the line.
      </p>
      {estimate && (
        <p className="m-0 text-teal">
          Measured along <span className="num">{estimate.length}</span> places of the line, straight within{' '}
          <span className="num">{estimate.rms.toFixed(2)}</span> px.
        </p>
      )}
      <NumberRow
        title="Camera to axis"
        unit="mm"
        min={20}
        max={10000}
        step={1}
        value={stand.distance}
        help="From the lens to the axis of the platform. All sizes follow from it."
        onChange={(distance) => change({ distance })}
      />
      <NumberRow
        title="Camera over platform"
        unit="mm"
        min={-2000}
        max={5000}
        step={1}
        value={stand.height}
        onChange={(height) => change({ height })}
      />
      <NumberRow
        title="Laser angle"
        unit="°"
        min={-90}
        max={90}
        step={0.1}
        value={stand.laserAngle}
        help="Between camera and laser, seen from the axis. Above 0 the laser stands to the right."
        onChange={(laserAngle) => change({ laserAngle })}
      />
      <NumberRow
        title="Field of view"
        unit="°"
        min={3}
        max={120}
        step={0.5}
        value={setup.fieldOfView}
        help="How wide the camera sees, left to right."
        onChange={(fieldOfView) => lineLaserClient.change({ fieldOfView })}
      />
      <NumberRow
        title="Axis column"
        unit="px"
        min={0}
        max={16000}
        step={0.5}
        value={stand.axisColumn}
        help="Where the axis stands in the picture; 0 is the middle."
        onChange={(axisColumn) => change({ axisColumn })}
      />
    </section>
  );
}
