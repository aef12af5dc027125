/** Where results of runs are sent to, and what came of each. */
import { ask, posted, q, send } from "./asking";
import type { Page, Shapes } from "./shapes";

type Rule = Shapes["DeliveryRule"];
type Change = Shapes["DeliveryRuleChange"];

export const deliveriesApi = {
  deliveryRules: (project: string) => ask<Page<Rule>>(`/delivery-rules?project=${q(project)}`),
  addDeliveryRule: (project: string, address: string) => send<Rule>("/delivery-rules", { project, address }),
  changeDeliveryRule: (rule: Rule, change: Change) =>
    ask<Rule>(`/delivery-rules/${q(rule.id)}`, posted(change, { "If-Match": `"${rule.version}"` }, "PATCH")),
  removeDeliveryRule: (id: string) => ask<unknown>(`/delivery-rules/${q(id)}`, { method: "DELETE" }),
  bringBackDeliveryRule: (id: string) => send<unknown>(`/delivery-rules/${q(id)}/back`, {}),
  deliveries: (project: string) => ask<Page<Shapes["Delivery"]>>(`/deliveries?project=${q(project)}`),
  sendAgain: (id: string) => send<unknown>(`/deliveries/${q(id)}/again`, {}),
};
