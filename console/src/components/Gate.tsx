import { useQuery } from '@tanstack/react-query';
import { Navigate, Outlet, useLocation } from 'react-router';
import { session } from '../api/queries';
import { Loading, ProblemAlert } from './states';

/** Lets those in who are logged in, and sends others to log in. */
export function Gate() {
  const { data, error, refetch } = useQuery(session());
  const location = useLocation();
  if (data) return <Outlet />;
  if (data === null) {
    const back = location.pathname + location.search;
    return <Navigate to={`/log-in?back=${encodeURIComponent(back)}`} replace />;
  }
  return error ? <ProblemAlert error={error} onRetry={() => void refetch()} /> : <Loading />;
}
