import { Loading } from './states';

/** Fills the window while the code of a page is fetched. */
export function PageLoading() {
  return <Loading height="100vh" />;
}
