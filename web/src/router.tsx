import { createRootRoute, createRoute, createRouter, Navigate, Outlet } from "@tanstack/react-router";
import { useProductions } from "./api/queries";
import { NewProduction } from "./NewProduction";
import { Shell } from "./Shell";
import { DeliveryStage } from "./stages/delivery/DeliveryStage";
import { IntakeStage } from "./stages/intake/IntakeStage";
import { MeasureStage } from "./stages/measure/MeasureStage";
import { ReelStage } from "./stages/reel/ReelStage";
import { SyncStage } from "./stages/sync/SyncStage";
import { TakesStage } from "./stages/takes/TakesStage";
import { WeaveStage } from "./stages/weave/WeaveStage";
import { Empty } from "./ui/controls";
import { Notes } from "./ui/notes";

const root = createRootRoute({
  component: () => (
    <>
      <Outlet />
      <Notes />
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

const stage = <P extends string>(path: P, component: () => React.ReactNode) =>
  createRoute({ getParentRoute: () => productionRoute, path, component });

export const router = createRouter({
  routeTree: root.addChildren([
    start,
    fresh,
    productionRoute.addChildren([
      stage("/intake", IntakeStage),
      stage("/takes", TakesStage),
      stage("/sync", SyncStage),
      stage("/reel", ReelStage),
      stage("/weave", WeaveStage),
      stage("/measure", MeasureStage),
      stage("/delivery", DeliveryStage),
    ]),
  ]),
});

declare module "@tanstack/react-router" {
  interface Register {
    router: typeof router;
  }
}
