import { casesApi } from "./cases";
import { dataApi } from "./data";
import { deliveriesApi } from "./deliveries";
import { peopleApi } from "./people";
import { projectApi } from "./project";
import { runsApi } from "./runs";
import { suitesApi } from "./suites";
import { trendsApi } from "./trends";
import { watchesApi } from "./watches";

export { ApiProblem } from "./asking";
export type * from "./shapes";

/** Every call of the API that the pages make. */
export const api = {
  ...projectApi,
  ...dataApi,
  ...suitesApi,
  ...casesApi,
  ...runsApi,
  ...deliveriesApi,
  ...peopleApi,
  ...trendsApi,
  ...watchesApi,
};
