import {
  createRootRoute,
  createRoute,
  createRouter,
  lazyRouteComponent,
  Navigate,
  Outlet,
} from "@tanstack/react-router";
import { useProductions } from "./api/queries";
import { NewProduction } from "./NewProduction";
import { Shell } from "./Shell";
import { Broken } from "./ui/Broken";
import { Empty } from "./ui/controls";
import { FocusTip } from "./ui/FocusTip";
import { Notes, Wrongs } from "./ui/notes";

const root = createRootRoute({
  component: () => (
    <>
      <div className="flex h-full flex-col">
        <div className="min-h-0 flex-1">
          <Outlet />
        </div>
        <Wrongs />
      </div>
      <Notes />
      <FocusTip />
    </>
  ),
});

/** The start: the newest production, or the form that makes the first. */
const start = createRoute({
  getParentRoute: () => root,
  path: "/",
  component: function Start() {
    const { data, error } = useProductions();
    if (error) {
      return (
        <Empty title="The server does not answer">
          <p>{error.message}</p>
        </Empty>
      );
    }
    if (!data) return null;
    const newest = data.find((p) => !p.archived && !p.removal) ?? data[0];
    if (!newest) return <NewProduction first />;
    return <Navigate to="/$production/intake" params={{ production: newest.id }} replace />;
  },
});

const fresh = createRoute({ getParentRoute: () => root, path: "/new", component: () => <NewProduction /> });

export const productionRoute = createRoute({ getParentRoute: () => root, path: "/$production", component: Shell });

/** A stage: its code is loaded when it is visited, or when its link is about to be pressed. */
const stage = <P extends string>(path: P, component: ReturnType<typeof lazyRouteComponent>) =>
  createRoute({ getParentRoute: () => productionRoute, path, component });

export const router = createRouter({
  defaultPreload: "intent",
  defaultErrorComponent: Broken,
  routeTree: root.addChildren([
    start,
    fresh,
    productionRoute.addChildren([
      stage(
        "/intake",
        lazyRouteComponent(() => import("./stages/intake/IntakeStage"), "IntakeStage"),
      ),
      stage(
        "/takes",
        lazyRouteComponent(() => import("./stages/takes/TakesStage"), "TakesStage"),
      ),
      stage(
        "/sync",
        lazyRouteComponent(() => import("./stages/sync/SyncStage"), "SyncStage"),
      ),
      stage(
        "/reel",
        lazyRouteComponent(() => import("./stages/reel/ReelStage"), "ReelStage"),
      ),
      stage(
        "/weave",
        lazyRouteComponent(() => import("./stages/weave/WeaveStage"), "WeaveStage"),
      ),
      stage(
        "/measure",
        lazyRouteComponent(() => import("./stages/measure/MeasureStage"), "MeasureStage"),
      ),
      stage(
        "/delivery",
        lazyRouteComponent(() => import("./stages/delivery/DeliveryStage"), "DeliveryStage"),
      ),
    ]),
  ]),
});

declare module "@tanstack/react-router" {
  interface Register {
    router: typeof router;
  }
}
