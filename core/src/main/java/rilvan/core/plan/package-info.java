/**
 * From an order's document to a plan: which services are added, changed and removed, what each device must hold afterwards, and
 * what conflicts. {@link rilvan.core.plan.Planner} touches no device and changes nothing;
 * {@link rilvan.core.plan.Explainer} answers which service, clause and parameter put a line on a device.
 */
package rilvan.core.plan;
