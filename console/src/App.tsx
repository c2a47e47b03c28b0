/** Who is signed in decides what is shown; views load when they are first opened. */
import { Trans } from '@lingui/react/macro';
import { lazy, Suspense } from 'react';
import { useQuery } from '@tanstack/react-query';
import { Link, Navigate, Outlet, Route, Routes, useLocation, useParams } from 'react-router';
import { Trouble } from './mind/api';
import { catalogue } from './mind/catalogue';
import { speak, spoken } from './mind/language';
import { me, site as siteOf } from './mind/questions';
import { Frame } from './skin/Frame';
import { ErrorNote, Guard } from './skin/states';
import { SignIn } from './views/SignIn';

const Portfolio = lazy(() => import('./views/Portfolio'));
const Overview = lazy(() => import('./views/Overview'));
const Breakdown = lazy(() => import('./views/Breakdown'));
const Editor = lazy(() => import('./views/Editor'));
const Portal = lazy(() => import('./views/Portal'));
const Looks = lazy(() => import('./views/Looks'));
const Due = lazy(() => import('./views/Due'));
const Places = lazy(() => import('./views/Places'));
const HeldDays = lazy(() => import('./views/HeldDays'));
const Imports = lazy(() => import('./views/Imports'));
const Fading = lazy(() => import('./views/Fading'));
const Reach = lazy(() => import('./views/Reach'));
const Clusters = lazy(() => import('./views/Clusters'));
const Unclicked = lazy(() => import('./views/ToWin').then((m) => ({ default: m.Unclicked })));
const Gap = lazy(() => import('./views/ToWin').then((m) => ({ default: m.Gap })));
const Reports = lazy(() => import('./views/Reports'));
const AnyReading = lazy(() => import('./views/Reading'));
const Ladder = lazy(() => import('./views/Ladder'));
const Keywords = lazy(() => import('./views/Keywords'));
const Keyword = lazy(() => import('./views/Keyword'));
const Competitors = lazy(() => import('./views/Competitors'));
const Domain = lazy(() => import('./views/Competitors').then((m) => ({ default: m.Domain })));
const LocalPlaces = lazy(() => import('./views/LocalPlaces'));
const Features = lazy(() => import('./views/Features'));
const Overlap = lazy(() => import('./views/Overlap'));
const Notes = lazy(() => import('./views/Notes'));
const Sets = lazy(() => import('./views/Sets'));
const Keeping = lazy(() => import('./views/Keeping'));
const People = lazy(() => import('./views/People'));
const Targets = lazy(() => import('./views/Targets'));
const Trials = lazy(() => import('./views/Trials'));
const Monthly = lazy(() => import('./views/Monthly'));
const Alerts = lazy(() => import('./views/Alerts'));
const Work = lazy(() => import('./views/Work'));
const Sources = lazy(() => import('./views/Sources'));

export function App() {
  const who = useQuery(me);
  const { pathname } = useLocation();
  if (who.isPending)
    return (
      <div aria-busy="true" className="page">
        <Trans>Reading…</Trans>
      </div>
    );
  if (who.error instanceof Trouble && who.error.status === 401) return <SignIn />;
  // one look that fails later takes nothing away from who is at work
  if (!who.data)
    return (
      <div className="page">
        <ErrorNote error={who.error} again={() => void who.refetch()} />
      </div>
    );
  if (kept(who.data.language)) return null;
  return (
    <Frame me={who.data}>
      <Lacking />
      <Guard at={pathname}>
        <Suspense
          fallback={
            <div className="page" aria-busy="true">
              <span className="vh">
                <Trans>Reading…</Trans>
              </span>
            </div>
          }
        >
          <Routes>
            <Route path="/" element={who.data.role === 'reader' ? <Portal /> : <Portfolio />} />
            <Route path="/sources" element={<Sources />} />
            <Route path="/imports" element={<Imports />} />
            <Route path="/keeping" element={<Keeping />} />
            <Route path="/people" element={<People />} />
            <Route path="/due" element={<Due />} />
            <Route path="/work" element={<Work />} />
            <Route path="/alerts" element={<Alerts />} />
            <Route path="/looks" element={<Looks />} />
            <Route path="/sites/:site" element={<Known />}>
              <Route index element={<Navigate to="overview" replace />} />
              <Route path="overview" element={<Overview />} />
              <Route path="queries" element={<Breakdown dimension="query" />} />
              <Route path="pages" element={<Breakdown dimension="page" />} />
              <Route path="places" element={<Places />} />
              <Route path="held" element={<HeldDays />} />
              <Route path="fading" element={<Fading />} />
              <Route path="reach" element={<Reach />} />
              <Route path="unclicked" element={<Unclicked />} />
              <Route path="device-gap" element={<Gap />} />
              <Route path="clusters" element={<Clusters />} />
              <Route path="overlap" element={<Overlap />} />
              <Route path="reports" element={<Reports />} />
              <Route path="reports/:number/edit" element={<Editor />} />
              <Route path="read/:name" element={<AnyReading />} />
              <Route path="ladder" element={<Ladder />} />
              <Route path="keywords" element={<Keywords />} />
              <Route path="keywords/:number" element={<Keyword />} />
              <Route path="competitors" element={<Competitors />} />
              <Route path="competitors/:domain" element={<Domain />} />
              <Route path="rank-places" element={<LocalPlaces />} />
              <Route path="features" element={<Features />} />
              <Route path="notes" element={<Notes />} />
              <Route path="sets" element={<Sets />} />
              <Route path="targets" element={<Targets />} />
              <Route path="trials" element={<Trials />} />
              <Route path="monthly" element={<Monthly />} />
            </Route>
            <Route path="*" element={<Lost />} />
          </Routes>
        </Suspense>
      </Guard>
    </Frame>
  );
}

/** Whether somebody reads in another language than this page speaks; the page is then loaded anew in it. */
function kept(language: string): boolean {
  if (!language || language === spoken()) return false;
  speak(language);
  if (spoken() !== language) return false;
  window.location.reload();
  return true;
}

/** Says that the columns of tables cannot be told, where they were asked for: tables would be there without any. */
function Lacking() {
  const found = useQuery({ ...catalogue(), enabled: false });
  if (!found.isError || found.data) return null;
  return (
    <div className="page">
      <ErrorNote error={found.error} again={() => void found.refetch()} />
    </div>
  );
}

/** A site's views, or one word that there is no such site rather than one in each part of a view. */
function Known() {
  const { site = '' } = useParams();
  const about = useQuery(siteOf(site));
  if (about.data || !about.isError) return <Outlet />;
  // what a view asks of a site it asks once it knows it: it would wait for ever
  if (!(about.error instanceof Trouble && about.error.status === 404))
    return (
      <main className="page">
        <h1>{site}</h1>
        <ErrorNote error={about.error} again={() => void about.refetch()} />
      </main>
    );
  return (
    <main className="page">
      <h1>
        <Trans>There is no site {site}</Trans>
      </h1>
      <p className="lead">
        <Trans>
          It may have been deleted, or its address may have changed. <Link to="/">All clients</Link> lists those there
          are.
        </Trans>
      </p>
    </main>
  );
}

function Lost() {
  return (
    <main className="page">
      <h1>
        <Trans>There is nothing here</Trans>
      </h1>
      <p className="lead">
        <Trans>The address may be old. All clients are one step away, in the list at the left.</Trans>
      </p>
    </main>
  );
}
