import { createBrowserRouter } from 'react-router';
import { Gate } from './components/Gate';
import { NotFound } from './components/NotFound';
import { PageFailed } from './components/PageFailed';
import { SiteFrame } from './components/SiteFrame';
import { ArrivalsPage } from './features/arrivals/ArrivalsPage';
import { DevicePage } from './features/device/DevicePage';
import { LogInPage } from './features/entry/LogInPage';
import { SetUpPage } from './features/entry/SetUpPage';
import { LampRoomPage } from './features/lamp-room/LampRoomPage';
import { AddDevicePage } from './features/set-up/AddDevicePage';
import { AddSitePage } from './features/set-up/AddSitePage';
import { SiteSetUpPage } from './features/set-up/SiteSetUpPage';
import { SitesPage } from './features/set-up/SitesPage';

export const router = createBrowserRouter([
  {
    ErrorBoundary: PageFailed,
    children: [
      { path: '/set-up', Component: SetUpPage },
      { path: '/log-in', Component: LogInPage },
      {
        Component: Gate,
        children: [
          { path: '/', Component: SitesPage },
          { path: '/add-site', Component: AddSitePage },
          {
            path: '/sites/:site',
            Component: SiteFrame,
            children: [
              { index: true, Component: LampRoomPage },
              { path: 'devices/:device', Component: DevicePage },
              { path: 'add-device', Component: AddDevicePage },
              { path: 'arrivals', Component: ArrivalsPage },
              { path: 'set-up', Component: SiteSetUpPage },
              { path: '*', Component: NotFound },
            ],
          },
        ],
      },
      { path: '*', Component: NotFound },
    ],
  },
]);
