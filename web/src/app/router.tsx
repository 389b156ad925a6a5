/** Every address and its screen. A screen's script is fetched when it is first opened. */
import { createBrowserRouter } from 'react-router';

import { Frame } from './Frame';
import { Lost } from './Lost';

export const router = createBrowserRouter([
  {
    element: <Frame />,
    children: [
      {
        // below the frame: a screen that breaks leaves the rail and the ribbon standing
        errorElement: <Lost />,
        HydrateFallback: () => null,
        children: [
          { path: '/', lazy: async () => ({ Component: (await import('../features/oversight/TodayScreen')).TodayScreen }) },
          { path: '/devices', lazy: async () => ({ Component: (await import('../features/oversight/DevicesScreen')).DevicesScreen }) },
          { path: '/devices/add', lazy: async () => ({ Component: (await import('../features/fleet/AddDeviceScreen')).AddDeviceScreen }) },
          { path: '/devices/import', lazy: async () => ({ Component: (await import('../features/fleet/ImportScreen')).ImportScreen }) },
          { path: '/devices/:id', lazy: async () => ({ Component: (await import('../features/fleet/DeviceScreen')).DeviceScreen }) },
          {
            path: '/devices/:id/coverage',
            lazy: async () => ({ Component: (await import('../features/oversight/CoverageScreen')).CoverageScreen }),
          },
          { path: '/devices/:id/wipe', lazy: async () => ({ Component: (await import('../features/oversight/WipeScreen')).WipeScreen }) },
          {
            path: '/devices/:id/filling',
            lazy: async () => ({ Component: (await import('../features/storage/FillingScreen')).FillingScreen }),
          },
          { path: '/devices/:id/link', lazy: async () => ({ Component: (await import('../features/fleet/LinkScreen')).LinkScreen }) },
          {
            path: '/wipe-answers/:id',
            lazy: async () => ({ Component: (await import('../features/oversight/SignedScreen')).SignedScreen }),
          },
          { path: '/teams', lazy: async () => ({ Component: (await import('../features/oversight/TeamsScreen')).TeamsScreen }) },
          { path: '/holders/:id', lazy: async () => ({ Component: (await import('../features/oversight/HolderScreen')).HolderScreen }) },
          { path: '/imports', lazy: async () => ({ Component: (await import('../features/runs/ImportOldScreen')).ImportOldScreen }) },
          { path: '/plans', lazy: async () => ({ Component: (await import('../features/plans/PlansScreen')).PlansScreen }) },
          {
            path: '/plans/exceptions',
            lazy: async () => ({ Component: (await import('../features/plans/ExceptionsScreen')).ExceptionsScreen }),
          },
          {
            path: '/plans/:plan/versions',
            lazy: async () => ({ Component: (await import('../features/plans/VersionsScreen')).VersionsScreen }),
          },
          {
            path: '/plans/exceptions/:version/versions',
            lazy: async () => ({ Component: (await import('../features/plans/VersionsScreen')).VersionsScreen }),
          },
          { path: '/plans/:id', lazy: async () => ({ Component: (await import('../features/plans/PlanScreen')).PlanScreen }) },
          { path: '/leaving', lazy: async () => ({ Component: (await import('../features/retention/LeavingScreen')).LeavingScreen }) },
          { path: '/erasing', lazy: async () => ({ Component: (await import('../features/retention/ErasingScreen')).ErasingScreen }) },
          {
            path: '/erasing/ask',
            lazy: async () => ({ Component: (await import('../features/retention/AskErasureScreen')).AskErasureScreen }),
          },
          { path: '/erasing/:id', lazy: async () => ({ Component: (await import('../features/retention/ErasureScreen')).ErasureScreen }) },
          { path: '/holds', lazy: async () => ({ Component: (await import('../features/retention/HoldsScreen')).HoldsScreen }) },
          { path: '/restore-points', lazy: async () => ({ Component: (await import('../features/retention/PointsScreen')).PointsScreen }) },
          { path: '/history', lazy: async () => ({ Component: (await import('../features/runs/HistoryScreen')).HistoryScreen }) },
          { path: '/history/:id', lazy: async () => ({ Component: (await import('../features/runs/RunScreen')).RunScreen }) },
          {
            path: '/history/:one/with/:two',
            lazy: async () => ({ Component: (await import('../features/runs/CompareScreen')).CompareScreen }),
          },
          { path: '/night', lazy: async () => ({ Component: (await import('../features/oversight/NightScreen')).NightScreen }) },
          {
            path: '/incidents',
            lazy: async () => ({ Component: (await import('../features/oversight/IncidentsScreen')).IncidentsScreen }),
          },
          {
            path: '/anomalies',
            lazy: async () => ({ Component: (await import('../features/oversight/AnomaliesScreen')).AnomaliesScreen }),
          },
          {
            path: '/three-two-one',
            lazy: async () => ({ Component: (await import('../features/oversight/ThreeTwoOneScreen')).ThreeTwoOneScreen }),
          },
          { path: '/report', lazy: async () => ({ Component: (await import('../features/oversight/ReportScreen')).ReportScreen }) },
          { path: '/backups/:id/erase', lazy: async () => ({ Component: (await import('../features/recovery/EraseScreen')).EraseScreen }) },
          { path: '/backups/:id', lazy: async () => ({ Component: (await import('../features/recovery/BackupScreen')).BackupScreen }) },
          { path: '/storage', lazy: async () => ({ Component: (await import('../features/storage/StorageScreen')).StorageScreen }) },
          { path: '/storage/add', lazy: async () => ({ Component: (await import('../features/storage/AddStoreScreen')).AddStoreScreen }) },
          { path: '/storage/drives', lazy: async () => ({ Component: (await import('../features/storage/DrivesScreen')).DrivesScreen }) },
          { path: '/storage/copies', lazy: async () => ({ Component: (await import('../features/storage/CopiesScreen')).CopiesScreen }) },
          { path: '/storage/:id/room', lazy: async () => ({ Component: (await import('../features/storage/RoomScreen')).RoomScreen }) },
          { path: '/storage/:id', lazy: async () => ({ Component: (await import('../features/storage/StoreScreen')).StoreScreen }) },
          { path: '/drills', lazy: async () => ({ Component: (await import('../features/recovery/DrillsScreen')).DrillsScreen }) },
          { path: '/drills/:id', lazy: async () => ({ Component: (await import('../features/recovery/DrillScreen')).DrillScreen }) },
          { path: '/restore', lazy: async () => ({ Component: (await import('../features/recovery/RestoreScreen')).RestoreScreen }) },
          {
            path: '/restore/:id',
            lazy: async () => ({ Component: (await import('../features/recovery/RestoreReportScreen')).RestoreReportScreen }),
          },
          { path: '/journal', lazy: async () => ({ Component: (await import('../features/people/JournalScreen')).JournalScreen }) },
          { path: '/office', lazy: async () => ({ Component: (await import('../features/people/OfficeScreen')).OfficeScreen }) },
          {
            path: '/office/days',
            lazy: async () => ({ Component: (await import('../features/people/ClosedDaysScreen')).ClosedDaysScreen }),
          },
          { path: '/office/records', lazy: async () => ({ Component: (await import('../features/people/RecordsScreen')).RecordsScreen }) },
          { path: '/office/telling', lazy: async () => ({ Component: (await import('../features/telling/TellingScreen')).TellingScreen }) },
          { path: '*', element: <Lost /> },
        ],
      },
    ],
  },
]);
