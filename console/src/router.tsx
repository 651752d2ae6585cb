import { createBrowserRouter } from 'react-router';
import { Gate } from './components/Gate';
import { NotFound } from './components/NotFound';
import { PageFailed } from './components/PageFailed';
import { PageLoading } from './components/PageLoading';
import { SiteFrame } from './components/SiteFrame';
import { LogInPage } from './features/entry/LogInPage';
import { SetUpPage } from './features/entry/SetUpPage';
import { LampRoomPage } from './features/lamp-room/LampRoomPage';
import { SitesPage } from './features/set-up/SitesPage';

export const router = createBrowserRouter([
  {
    ErrorBoundary: PageFailed,
    HydrateFallback: PageLoading,
    children: [
      { path: '/set-up', Component: SetUpPage },
      { path: '/log-in', Component: LogInPage },
      ...['/join', '/new-password'].map((path) => ({
        path,
        lazy: async () => ({ Component: (await import('./features/entry/ComeInPage')).ComeInPage }),
      })),
      {
        path: '/acknowledge',
        lazy: async () => ({ Component: (await import('./features/callouts/CalledPage')).CalledPage }),
      },
      {
        Component: Gate,
        children: [
          { path: '/', Component: SitesPage },
          {
            path: '/add-site',
            lazy: async () => ({ Component: (await import('./features/set-up/AddSitePage')).AddSitePage }),
          },
          {
            path: '/account',
            lazy: async () => ({ Component: (await import('./features/account/AccountPage')).AccountPage }),
          },
          {
            path: '/health',
            lazy: async () => ({ Component: (await import('./features/health/HealthPage')).HealthPage }),
          },
          {
            path: '/people',
            lazy: async () => ({ Component: (await import('./features/people/EveryonePage')).EveryonePage }),
          },
          {
            path: '/sites/:site',
            Component: SiteFrame,
            children: [
              { index: true, Component: LampRoomPage },
              {
                path: 'devices/:device',
                lazy: async () => ({
                  Component: (await import('./features/device/DeviceFrame')).DeviceFrame,
                }),
                children: [
                  {
                    index: true,
                    lazy: async () => ({ Component: (await import('./features/device/parts')).NowPart }),
                  },
                  {
                    path: 'contacts',
                    lazy: async () => ({ Component: (await import('./features/device/parts')).ContactsPart }),
                  },
                  {
                    path: 'signals',
                    lazy: async () => ({ Component: (await import('./features/device/parts')).SignalsPart }),
                  },
                  {
                    path: 'sending',
                    lazy: async () => ({ Component: (await import('./features/device/parts')).SendingPart }),
                  },
                  {
                    path: 'set-up',
                    lazy: async () => ({ Component: (await import('./features/device/parts')).SetUpPart }),
                  },
                ],
              },
              {
                path: 'devices/:device/signals/:signal',
                lazy: async () => ({ Component: (await import('./features/meaning/SignalPage')).SignalPage }),
              },
              {
                path: 'charts',
                lazy: async () => ({
                  Component: (await import('./features/charts/ChartsPage')).ChartsPage,
                }),
              },
              {
                path: 'alarms',
                lazy: async () => ({ Component: (await import('./features/alarms/AlarmsPage')).AlarmsPage }),
              },
              {
                path: 'alarms/history',
                lazy: async () => ({
                  Component: (await import('./features/alarms/AlarmHistoryPage')).AlarmHistoryPage,
                }),
              },
              {
                path: 'alarms/figures',
                lazy: async () => ({
                  Component: (await import('./features/alarms/AlarmFiguresPage')).AlarmFiguresPage,
                }),
              },
              {
                path: 'alarms/watches',
                lazy: async () => ({
                  Component: (await import('./features/alarms/WatchesPage')).WatchesPage,
                }),
              },
              {
                path: 'alarms/rosters',
                lazy: async () => ({
                  Component: (await import('./features/callouts/RostersPage')).RostersPage,
                }),
              },
              ...['alarms/rosters/new', 'alarms/rosters/:roster'].map((path) => ({
                path,
                lazy: async () => ({
                  Component: (await import('./features/callouts/RosterPage')).RosterPage,
                }),
              })),
              {
                path: 'alarms/callouts',
                lazy: async () => ({
                  Component: (await import('./features/callouts/CalloutsPage')).CalloutsPage,
                }),
              },
              {
                path: 'alarms/callouts/:callout',
                lazy: async () => ({
                  Component: (await import('./features/callouts/CalloutPage')).CalloutPage,
                }),
              },
              {
                path: 'alarms/:alarm',
                lazy: async () => ({ Component: (await import('./features/alarms/AlarmPage')).AlarmPage }),
              },
              {
                path: 'figures',
                lazy: async () => ({
                  Component: (await import('./features/figures/FiguresPage')).FiguresPage,
                }),
              },
              {
                path: 'coverage',
                lazy: async () => ({
                  Component: (await import('./features/coverage/CoveragePage')).CoveragePage,
                }),
              },
              {
                path: 'notes',
                lazy: async () => ({ Component: (await import('./features/notes/NotesPage')).NotesPage }),
              },
              {
                path: 'notes/changes',
                lazy: async () => ({
                  Component: (await import('./features/changes/ChangesPage')).ChangesPage,
                }),
              },
              {
                path: 'people',
                lazy: async () => ({ Component: (await import('./features/people/PeoplePage')).PeoplePage }),
              },
              {
                path: 'compare',
                lazy: async () => ({
                  Component: (await import('./features/compare/ComparePage')).ComparePage,
                }),
              },
              {
                path: 'devices/:device/commissioning',
                lazy: async () => ({
                  Component: (await import('./features/commissioning/CommissioningPage')).CommissioningPage,
                }),
              },
              {
                path: 'kinds',
                lazy: async () => ({ Component: (await import('./features/kinds/KindsPage')).KindsPage }),
              },
              {
                path: 'kinds/:kind',
                lazy: async () => ({ Component: (await import('./features/kinds/KindPage')).KindPage }),
              },
              {
                path: 'add-kind',
                lazy: async () => ({ Component: (await import('./features/kinds/AddKindPage')).AddKindPage }),
              },
              {
                path: 'add-device',
                lazy: async () => ({
                  Component: (await import('./features/set-up/AddDevicePage')).AddDevicePage,
                }),
              },
              {
                path: 'arrivals',
                lazy: async () => ({
                  Component: (await import('./features/arrivals/ArrivalsPage')).ArrivalsPage,
                }),
              },
              {
                path: 'set-up',
                lazy: async () => ({
                  Component: (await import('./features/set-up/SiteSetUpPage')).SiteSetUpPage,
                }),
              },
              { path: '*', Component: NotFound },
            ],
          },
        ],
      },
      { path: '*', Component: NotFound },
    ],
  },
]);
