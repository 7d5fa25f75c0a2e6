import type { ReactNode } from 'react';
import { AccountsSheet } from '../features/accounts/accounts-sheet';
import { AuditSheet } from '../features/accounts/audit-sheet';
import { CompareSheet } from '../features/compare/compare-sheet';
import { CoolingSheet } from '../features/cooling/cooling-sheet';
import { CardSheet } from '../features/fitting/card';
import { FittingSheet } from '../features/fitting/fitting-sheet';
import { FleetSheet } from '../features/fleet/fleet-sheet';
import { HandbookSheet } from '../features/handbook/handbook-sheet';
import { LaddersSheet } from '../features/ladders/ladders-sheet';
import { LogSheet } from '../features/log/log-sheet';
import { PartsSheet } from '../features/parts/parts-sheet';
import { RecordsSheet } from '../features/records/records-sheet';
import { NewRigSheet } from '../features/rig/new-rig-sheet';
import { RigSheet } from '../features/rig/rig-sheet';
import { ScoresSheet } from '../features/scores/scores-sheet';
import { SoundingsSheet } from '../features/soundings/soundings-sheet';
import { TrialSheet } from '../features/trial/trial-sheet';
import { TrimSheet } from '../features/trim/trim-sheet';
import { TuningSheet } from '../features/tuning/tuning-sheet';
import { WorkshopSheet } from '../features/workshop/workshop-sheet';
import type { SheetProps, SheetWord } from '../ui/sheet';

interface SheetEntry {
  word: SheetWord;
  title: string;
  /** Pressed after `g`; a sheet with one has a tab in the frame. */
  key?: string;
  /** What its tab stands for in the work. */
  part?: Part;
  component: (props: SheetProps) => ReactNode;
}

/** The parts of the work, in their order: the tabs read as a sentence of it. */
export const parts = ['know', 'change', 'prove', 'weigh'] as const;

type Part = (typeof parts)[number];

/** Every sheet, in the order of the work. Routes, tabs, keys and the finder are made from here. */
export const sheets: SheetEntry[] = [
  { word: 'fleet', title: 'Fleet', key: 'e', part: 'know', component: FleetSheet },
  { word: 'rig', title: 'Rig', key: 'r', part: 'know', component: RigSheet },
  { word: 'log', title: 'Log', key: 'o', part: 'know', component: LogSheet },
  { word: 'tuning', title: 'Tuning', key: 'u', part: 'change', component: TuningSheet },
  { word: 'trim', title: 'Trim', key: 't', part: 'change', component: TrimSheet },
  { word: 'cooling', title: 'Cooling', key: 'w', part: 'change', component: CoolingSheet },
  { word: 'fitting', title: 'Fitting', key: 'f', part: 'change', component: FittingSheet },
  { word: 'trial', title: 'Trial', key: 'l', part: 'prove', component: TrialSheet },
  { word: 'soundings', title: 'Soundings', key: 'd', part: 'prove', component: SoundingsSheet },
  { word: 'scores', title: 'Scores', key: 's', part: 'weigh', component: ScoresSheet },
  { word: 'compare', title: 'Compare', key: 'c', part: 'weigh', component: CompareSheet },
  { word: 'card', title: 'Setting card', component: CardSheet },
  { word: 'ladders', title: 'Ladders', component: LaddersSheet },
  { word: 'parts', title: 'Part sheets', component: PartsSheet },
  { word: 'records', title: 'Records', component: RecordsSheet },
  { word: 'workshop', title: 'Workshop', component: WorkshopSheet },
  { word: 'accounts', title: 'Accounts', component: AccountsSheet },
  { word: 'audit', title: 'Audit', component: AuditSheet },
  { word: 'add', title: 'New rig', component: NewRigSheet },
  { word: 'handbook', title: 'Handbook', component: HandbookSheet },
];

/** The sheets that have a tab. */
export const tabs = sheets.filter((s): s is SheetEntry & { key: string; part: Part } => s.key !== undefined);

/** The sheet of a word in an address. */
export const sheetOf = (word: string) => sheets.find((s) => s.word === word);
