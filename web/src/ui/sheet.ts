import { useRoute } from 'wouter';

/** What a sheet is told by its address. */
export interface SheetProps {
  rig: number;
  /** The trim or trial that the address names. */
  id?: number;
  mode?: string;
}

/** The words of sheets in addresses. */
export type SheetWord =
  | 'rig'
  | 'fleet'
  | 'tuning'
  | 'trim'
  | 'cooling'
  | 'fitting'
  | 'trial'
  | 'soundings'
  | 'scores'
  | 'compare'
  | 'card'
  | 'parts'
  | 'log'
  | 'ladders'
  | 'records'
  | 'workshop'
  | 'accounts'
  | 'audit'
  | 'handbook'
  | 'add';

/** Addresses of sheets: the rig, the sheet, then the trim or trial shown, then what is done with it. */
const pattern = '/rig/:rig/:sheet/:id?/:mode?';

type Address = { rig: string; sheet: string; id?: string; mode?: string };

/** The parts of the address that the page shows; nothing where it is none of a sheet. */
export function useAddress(): Partial<Address> {
  const [, params] = useRoute<Address, string>(pattern);
  return params ?? {};
}

/** The address of a sheet. */
export function sheetPath(rig: number, sheet: SheetWord, id?: number, mode?: string | number): string {
  const rest = [id, id === undefined ? undefined : mode].filter((x) => x !== undefined);
  return ['', 'rig', rig, sheet, ...rest].join('/');
}
