import DarkIcon from '@mui/icons-material/DarkMode';
import LightIcon from '@mui/icons-material/LightMode';
import PersonIcon from '@mui/icons-material/Person';
import SearchIcon from '@mui/icons-material/Search';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import IconButton from '@mui/material/IconButton';
import Link from '@mui/material/Link';
import Menu from '@mui/material/Menu';
import MenuItem from '@mui/material/MenuItem';
import Typography from '@mui/material/Typography';
import { useColorScheme } from '@mui/material/styles';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { NavLink, Link as RouterLink, useNavigate } from 'react-router';
import { abandonReading, api, setCsrf } from '../api/client';
import { alarmCounts } from '../api/alarmQueries';
import { session } from '../api/queries';
import type { Site } from '../api/schema';
import { useServiceNow } from '../format/clock';
import { clockTime } from '../format/time';
import { Mark } from './Mark';
import { SearchDialog } from './SearchDialog';
import { useSite } from './siteContext';

/** The places of a site, and how many alarms wait there for somebody. */
function usePlaces(site: Site): PlaceProps[] {
  const { data: counts } = useQuery(alarmCounts(site.code));
  const waiting = counts ? counts.low + counts.medium + counts.high + counts.urgent : 0;
  const base = `/sites/${site.code}`;
  return [
    { to: base, label: 'Lamp room', end: true },
    {
      to: `${base}/alarms`,
      label: 'Alarms',
      end: false,
      count: waiting,
      isLoud: counts !== undefined && counts.high + counts.urgent > 0,
    },
    { to: `${base}/charts`, label: 'Charts', end: false },
    ...(site.access.may.includes('set_up')
      ? [
          { to: `${base}/arrivals`, label: 'Arrivals', end: false, count: site.arrivals },
          { to: `${base}/set-up`, label: 'Set-up', end: false },
        ]
      : []),
  ];
}

interface PlaceProps {
  to: string;
  label: string;
  end: boolean;
  count?: number;
  /** Somebody has to act soon. */
  isLoud?: boolean;
}

function Place({ to, label, end, count, isLoud = false }: PlaceProps) {
  return (
    <Box
      component={NavLink}
      to={to}
      end={end}
      sx={{
        color: 'text.primary',
        textDecoration: 'none',
        px: { xs: 0.5, md: 1 },
        py: 2,
        whiteSpace: 'nowrap',
        borderBottom: '3px solid transparent',
        '&.active': { borderBottomColor: 'primary.main', fontWeight: 650 },
        '&:hover': { color: 'primary.main' },
      }}
    >
      {label}
      {count !== undefined && count > 0 && (
        <Box
          component="span"
          aria-label={`${count} waiting`}
          sx={{
            ml: 0.75,
            px: 0.75,
            borderRadius: 4,
            bgcolor: isLoud ? 'error.main' : 'primary.main',
            color: isLoud ? 'error.contrastText' : 'primary.contrastText',
            fontSize: 13,
          }}
        >
          {count}
        </Box>
      )}
    </Box>
  );
}

const STRIP = { bgcolor: 'background.paper', zIndex: 3, display: 'flex', alignItems: 'center' } as const;

/** The strip on top of every page of a site. */
export function TopStrip() {
  const site = useSite();
  const all = usePlaces(site);
  const [searching, setSearching] = useState(false);
  useEffect(() => {
    const open = (event: KeyboardEvent) => {
      const typing =
        event.target instanceof HTMLElement &&
        event.target.matches('input, textarea, select, [contenteditable]');
      if (event.key !== '/' || typing || event.ctrlKey || event.metaKey || event.altKey) return;
      event.preventDefault();
      setSearching(true);
    };
    window.addEventListener('keydown', open);
    return () => window.removeEventListener('keydown', open);
  }, []);
  return (
    <Box
      component="header"
      sx={{
        ...STRIP,
        position: 'sticky',
        top: 0,
        height: 56,
        px: { xs: 1.5, md: 3 },
        gap: { xs: 1, md: 2 },
        borderBottom: 1,
        borderColor: 'divider',
      }}
    >
      <Link
        component={RouterLink}
        to="/"
        state={{ list: true }}
        color="inherit"
        underline="none"
        sx={{ display: 'flex', alignItems: 'center', gap: 1 }}
        aria-label="Key Lantern: to the sites"
      >
        <Mark />
        <Typography
          component="span"
          sx={{ fontWeight: 700, display: { xs: 'none', lg: 'inline' }, whiteSpace: 'nowrap' }}
        >
          Key Lantern
        </Typography>
      </Link>
      <Typography
        component="span"
        noWrap
        color="textSecondary"
        title={site.name}
        sx={{ minWidth: 0, flexShrink: 1 }}
      >
        {site.name}
      </Typography>
      <Box component="nav" aria-label="Places" sx={{ display: { xs: 'none', md: 'flex' }, gap: 1, ml: 1 }}>
        {all.map((place) => (
          <Place key={place.to} {...place} />
        ))}
      </Box>
      <Box sx={{ flex: 1 }} />
      <IconButton onClick={() => setSearching(true)} aria-label="Search (key /)" color="inherit">
        <SearchIcon />
      </IconButton>
      <SiteClock zone={site.zone} />
      <ThemeSwitch />
      <PersonMenu />
      {searching && <SearchDialog onClose={() => setSearching(false)} />}
    </Box>
  );
}

/** The places at the bottom of a phone. */
export function BottomBar() {
  const all = usePlaces(useSite());
  return (
    <Box
      component="nav"
      aria-label="Places"
      sx={{
        ...STRIP,
        display: { xs: 'flex', md: 'none' },
        position: 'fixed',
        bottom: 0,
        left: 0,
        right: 0,
        justifyContent: 'space-around',
        borderTop: 1,
        borderColor: 'divider',
      }}
    >
      {all.map((place) => (
        <Place key={place.to} {...place} />
      ))}
    </Box>
  );
}

function SiteClock({ zone }: { zone: string }) {
  const now = useServiceNow();
  return (
    <Typography component="time" title={`Time in ${zone}`} sx={{ whiteSpace: 'nowrap' }}>
      {clockTime(now, zone)}
      <Box
        component="span"
        sx={{ color: 'text.secondary', ml: 0.75, fontSize: 13, display: { xs: 'none', lg: 'inline' } }}
      >
        {zone}
      </Box>
    </Typography>
  );
}

function ThemeSwitch() {
  const { mode, systemMode, setMode } = useColorScheme();
  const dark = (mode === 'system' ? systemMode : mode) === 'dark';
  return (
    <IconButton
      onClick={() => setMode(dark ? 'light' : 'dark')}
      aria-label={dark ? 'Use the light theme' : 'Use the dark theme'}
      color="inherit"
    >
      {dark ? <LightIcon /> : <DarkIcon />}
    </IconButton>
  );
}

function PersonMenu() {
  const { data } = useQuery(session());
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const cache = useQueryClient();
  const navigate = useNavigate();
  const logOut = async () => {
    // The page goes first, so that nothing asks for what the session no longer gives.
    await navigate('/log-in');
    await cache.cancelQueries();
    abandonReading();
    await api.post('/log-out');
    setCsrf(undefined);
    cache.clear();
  };
  return (
    <>
      <Button
        onClick={(event) => setAnchor(event.currentTarget)}
        color="inherit"
        startIcon={<PersonIcon />}
        aria-haspopup="menu"
        sx={{ minWidth: 0, '& .MuiButton-startIcon': { mr: { xs: 0, sm: 1 } } }}
        aria-label={`Person: ${data?.person ?? ''}`}
      >
        <Box component="span" sx={{ display: { xs: 'none', sm: 'inline' } }}>
          {data?.person}
        </Box>
      </Button>
      <Menu anchorEl={anchor} open={anchor !== null} onClose={() => setAnchor(null)}>
        <MenuItem component={RouterLink} to="/" state={{ list: true }}>
          Sites
        </MenuItem>
        <MenuItem component={RouterLink} to="/account">
          Your account
        </MenuItem>
        <MenuItem component={RouterLink} to="/health">
          How the service is doing
        </MenuItem>
        {data?.is_administrator && (
          <MenuItem component={RouterLink} to="/people">
            People of the service
          </MenuItem>
        )}
        <MenuItem onClick={() => void logOut()}>Log out</MenuItem>
      </Menu>
    </>
  );
}
