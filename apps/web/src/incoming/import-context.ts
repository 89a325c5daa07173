import { createContext, useContext } from 'react';
import type { DroppedFile } from './group-files';

/** A file on its way in. */
export interface Incoming {
  key: string;
  name: string;
  fraction: number;
  error?: string;
}

export interface Importing {
  incoming: Incoming[];
  setup: string;
  unit: string;
  setSetup: (s: string) => void;
  setUnit: (u: string) => void;
  add: (files: readonly DroppedFile[]) => void;
  dismiss: (key: string) => void;
}

export const ImportContext = createContext<Importing | null>(null);

export function useImporting(): Importing {
  const value = useContext(ImportContext);
  if (!value) throw new Error('useImporting: there is no ImportDrop around this.');
  return value;
}
