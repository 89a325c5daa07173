import type { BenchArrangement, DeviceMessage, DeviceSettings, HeldAt } from '@amber-knit/device-protocol';

/** What a page knows of a connected device from its messages. */
export interface DeviceSaid {
  settings: DeviceSettings | null;
  bench: { arrangement: BenchArrangement; held: HeldAt; sweep: string | null } | null;
  trouble: string | null;
}

/** The part of the state that a device's message changes. */
export function deviceSaid(message: DeviceMessage): Partial<DeviceSaid> {
  switch (message.type) {
    case 'ready':
    case 'settings':
      return { settings: message.settings };
    case 'bench': {
      const { arrangement, held, sweep } = message;
      return { bench: { arrangement, held, sweep } };
    }
    case 'error':
      return { trouble: message.message };
    default:
      return {};
  }
}
