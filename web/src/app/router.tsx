import { createBrowserRouter } from 'react-router';

import { AddDeviceScreen } from '../features/fleet/AddDeviceScreen';
import { ImportScreen } from '../features/fleet/ImportScreen';
import { LinkScreen } from '../features/fleet/LinkScreen';
import { DeviceScreen } from '../features/fleet/DeviceScreen';
import { CoverageScreen } from '../features/oversight/CoverageScreen';
import { HolderScreen } from '../features/oversight/HolderScreen';
import { MattersScreen } from '../features/oversight/MattersScreen';
import { NightScreen } from '../features/oversight/NightScreen';
import { OdditiesScreen } from '../features/oversight/OdditiesScreen';
import { ReportScreen } from '../features/oversight/ReportScreen';
import { SignedScreen } from '../features/oversight/SignedScreen';
import { TeamsScreen } from '../features/oversight/TeamsScreen';
import { WipeScreen } from '../features/oversight/WipeScreen';
import { DevicesScreen } from '../features/oversight/DevicesScreen';
import { TodayScreen } from '../features/oversight/TodayScreen';
import { ClosedDaysScreen } from '../features/people/ClosedDaysScreen';
import { JournalScreen } from '../features/people/JournalScreen';
import { OfficeScreen } from '../features/people/OfficeScreen';
import { PlanScreen } from '../features/plans/PlanScreen';
import { PlansScreen } from '../features/plans/PlansScreen';
import { BackupScreen } from '../features/recovery/BackupScreen';
import { RestoreReportScreen } from '../features/recovery/RestoreReportScreen';
import { RestoreScreen } from '../features/recovery/RestoreScreen';
import { BringInScreen } from '../features/runs/BringInScreen';
import { CompareScreen } from '../features/runs/CompareScreen';
import { HistoryScreen } from '../features/runs/HistoryScreen';
import { RunScreen } from '../features/runs/RunScreen';
import { AddStoreScreen } from '../features/storage/AddStoreScreen';
import { StorageScreen } from '../features/storage/StorageScreen';
import { StoreScreen } from '../features/storage/StoreScreen';
import { TellingScreen } from '../features/telling/TellingScreen';
import { Frame } from './Frame';
import { Lost } from './Lost';

export const router = createBrowserRouter([
  {
    element: <Frame />,
    errorElement: <Lost />,
    children: [
      { path: '/', element: <TodayScreen /> },
      { path: '/devices', element: <DevicesScreen /> },
      { path: '/devices/add', element: <AddDeviceScreen /> },
      { path: '/devices/import', element: <ImportScreen /> },
      { path: '/devices/:id', element: <DeviceScreen /> },
      { path: '/devices/:id/coverage', element: <CoverageScreen /> },
      { path: '/devices/:id/wipe', element: <WipeScreen /> },
      { path: '/devices/:id/link', element: <LinkScreen /> },
      { path: '/wipe-answers/:id', element: <SignedScreen /> },
      { path: '/teams', element: <TeamsScreen /> },
      { path: '/holders/:id', element: <HolderScreen /> },
      { path: '/bring-in', element: <BringInScreen /> },
      { path: '/plans', element: <PlansScreen /> },
      { path: '/plans/:id', element: <PlanScreen /> },
      { path: '/history', element: <HistoryScreen /> },
      { path: '/history/:id', element: <RunScreen /> },
      { path: '/history/:one/with/:two', element: <CompareScreen /> },
      { path: '/night', element: <NightScreen /> },
      { path: '/matters', element: <MattersScreen /> },
      { path: '/oddities', element: <OdditiesScreen /> },
      { path: '/report', element: <ReportScreen /> },
      { path: '/backups/:id', element: <BackupScreen /> },
      { path: '/storage', element: <StorageScreen /> },
      { path: '/storage/add', element: <AddStoreScreen /> },
      { path: '/storage/:id', element: <StoreScreen /> },
      { path: '/restore', element: <RestoreScreen /> },
      { path: '/restore/:id', element: <RestoreReportScreen /> },
      { path: '/journal', element: <JournalScreen /> },
      { path: '/office', element: <OfficeScreen /> },
      { path: '/office/days', element: <ClosedDaysScreen /> },
      { path: '/office/telling', element: <TellingScreen /> },
      { path: '*', element: <Lost /> },
    ],
  },
]);
