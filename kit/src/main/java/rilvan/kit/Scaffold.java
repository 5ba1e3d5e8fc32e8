package rilvan.kit;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import rilvan.core.document.ValidationFailure;

/** A first service model, small and whole: an author changes it into what is wanted. */
final class Scaffold {

    private static final String MODEL = """
            # A text that starts with = is an expression (CEL). docs/models.md is the reference.
            model: %1$s
            version: 1
            title: %1$s
            description: What this kind of service gives a customer.

            parameters:
              type: object
              required: [device, port, tag]
              properties:
                device: { title: Device, refers: device, of: [pe] }
                port:   { title: Port, refers: port, at: device, of: [access] }
                tag:    { title: Tag, format: tags, examples: [300] }
                rate:   { title: Rate, type: integer, minimum: 0, default: 0, description: kbit/s in each direction; 0 for no limit }

            allocate:
              access: { pool: access-tag, within: "=device + ' ' + port", choose: "=tag", at: tag }

            require:
              - that: "=rate <= devices[device].ports[port].speed"
                at: rate
                say: "{port} of {device} carries {devices[device].ports[port].speed} kbit/s, not {rate}"

            expand:
              - on: "=device"
                clause: circuit
                says:
                  port: "=port"
                  match: "=tags(tag)"
                  description: "=service.tenant + ': ' + service.name"
                  rate: "=rate"
            """;

    private static final String EXAMPLE = """
            reason: Kelp & Co. try %1$s
            services:
              - name: kelp-%1$s
                tenant: Kelp & Co.
                model: %1$s
                parameters:
                  device: haven-pe1
                  port: access-3
                  tag: 300
                  rate: 50000
            """;

    private static final String TESTS = """
            # Orders whose lines stand in expected/ (made by: rilvan kit test --accept), and orders that are refused.
            works: [first]
            refused:
              - order: first
                change: { "rate: 50000": "rate: 5000000" }
                says: "/services/0/parameters/rate: access-3 of haven-pe1 carries 1000000 kbit/s, not 5000000"
            """;

    private Scaffold() {}

    static void write(Path folder) throws IOException {
        String name = folder.getFileName().toString();
        if (!name.matches("[a-z][a-z0-9-]{0,39}")) {
            throw new ValidationFailure("", "'" + name + "' is not a name for a model; use small letters, digits and hyphens");
        }
        if (Files.exists(folder)) {
            throw new ValidationFailure("", folder + " is there already");
        }
        Files.createDirectories(folder.resolve("examples"));
        Files.writeString(folder.resolve("model.yaml"), MODEL.formatted(name));
        Files.writeString(folder.resolve("examples/first.yaml"), EXAMPLE.formatted(name));
        Files.writeString(folder.resolve("tests.yaml"), TESTS);
    }
}
