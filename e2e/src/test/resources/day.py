"""A day of a program that was written from the description of the interface alone: day.py ADDRESS PASSWORD-FILE DOCUMENT."""
import json
import sys

from rilvan_client import Problem, Rilvan

address, password_file, document = sys.argv[1:]
rilvan = Rilvan(address)
with open(password_file, encoding="utf-8") as file:
    rilvan.token = rilvan.sign_in_sign_in({"user": "engineer", "password": file.read().strip()}).value["token"]

me = rilvan.sign_in_me().value
print("signed in as", me["name"], "with", ", ".join(me["roles"]))
print(len(rilvan.device_devices(limit=100).value), "devices,", len(rilvan.library_models().value), "models")

with open(document, encoding="utf-8") as file:
    order = file.read()
preview = rilvan.order_preview(order)
print("previewed:", preview.value["guarantee"])
placed = rilvan.order_place(order, if_match=preview.headers["ETag"], idempotency_key="a-day-in-python").value
again = rilvan.order_place(order, if_match=preview.headers["ETag"], idempotency_key="a-day-in-python").value
assert placed["order"] == again["order"], (placed, again)

states = [json.loads(data) for name, data in rilvan.events(f"/api/v1/orders/{placed['order']}/events", {}, {}) if name == "state"]
detail = rilvan.order_order(placed["order"]).value
print("order", placed["order"], states[-1], "with", len(detail["checks"]), "checks")
assert all(check["passed"] for check in detail["checks"])

service = rilvan.service_service(detail["order"]["services"][0]["service"]).value["service"]
print(service["name"], "is on", ", ".join(sorted(service["devices"])))

tenant = rilvan.tenant_tenant(service["tenant"])
rilvan.tenant_put(service["tenant"], {"contact": "the night desk", "attachments": tenant.value["attachments"]}, if_match=tenant.headers["ETag"])
try:
    rilvan.tenant_put(service["tenant"], {"contact": "the day desk"}, if_match=tenant.headers["ETag"])
    raise SystemExit("a change of what has changed meanwhile was carried out")
except Problem as problem:
    print("refused as it should be:", problem.status, problem.type)

try:
    rilvan.order_preview({"remove": ["no-such-service"]})
    raise SystemExit("a service that is not there was removed")
except Problem as problem:
    print("refused as it should be:", problem.status, problem.errors[0]["pointer"])

removal = rilvan.order_place({"reason": "the day is over", "remove": [service["name"]]}).value
for _ in rilvan.events(f"/api/v1/orders/{removal['order']}/events", {}, {}):
    pass
assert rilvan.order_order(removal["order"]).value["order"]["state"] == "DONE"
print("removed by order", removal["order"])
