package rilvan.server.api.description;

import com.fasterxml.jackson.databind.JsonNode;
import io.swagger.v3.core.util.Json31;
import io.swagger.v3.oas.models.Components;
import io.swagger.v3.oas.models.OpenAPI;
import io.swagger.v3.oas.models.Operation;
import io.swagger.v3.oas.models.Paths;
import io.swagger.v3.oas.models.headers.Header;
import io.swagger.v3.oas.models.info.Info;
import io.swagger.v3.oas.models.media.Content;
import io.swagger.v3.oas.models.media.MediaType;
import io.swagger.v3.oas.models.media.Schema;
import io.swagger.v3.oas.models.media.StringSchema;
import io.swagger.v3.oas.models.responses.ApiResponse;
import io.swagger.v3.oas.models.security.SecurityRequirement;
import io.swagger.v3.oas.models.security.SecurityScheme;
import io.swagger.v3.oas.models.servers.Server;
import io.swagger.v3.oas.models.tags.Tag;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.stream.Stream;
import org.springdoc.core.customizers.OpenApiCustomizer;
import org.springdoc.core.customizers.OperationCustomizer;
import org.springframework.context.annotation.Bean;
import org.springframework.context.annotation.Configuration;
import org.springframework.http.HttpHeaders;
import org.springframework.web.method.HandlerMethod;
import rilvan.server.access.Requires;
import rilvan.server.acts.Recorded;
import rilvan.server.api.ProblemKind;
import rilvan.server.library.Library;

/** Says of each endpoint whom it is for and how it may refuse, and adds the documents that bodies are. */
@Configuration
public class InterfaceDescription {

    private static final String TOKEN = "token";
    private static final String SESSION = "session";
    private static final String PROBLEM = "application/problem+json";
    private static final String CONTROLLER = "-controller";
    private static final String ABOUT = """
            Network services as whole transactions over many devices. Bodies are JSON; documents may be YAML as well. What is wrong is a problem (RFC 9457) whose entries point at the field; \
            its `type` is what programs go by. Lists come in pages (`limit`, and the next page in the `Link` header, RFC 8288). Each answer has the number of its request (`Request-Id`).""";

    @Bean
    OperationCustomizer rules() {
        return (operation, method) -> {
            Requires.Nothing nothing = method.getMethodAnnotation(Requires.Nothing.class);
            Requires required = method.getMethodAnnotation(Requires.class);
            operation.setTags(operation.getTags().stream().map(tag -> tag.replace(CONTROLLER, "")).toList());
            operation.setOperationId(operationId(method));
            operation.setSummary(plain(operation.getSummary()));
            operation.description((operation.getDescription() == null ? "" : plain(operation.getDescription()) + " ") + (nothing != null ? "For anybody." : required == null ? "For whoever is signed in."
                    : "Needs the role " + required.value().words() + (required.scoped() ? "." : ", for all tenants and sites.")));
            if (nothing == null) {
                operation.setSecurity(List.of(new SecurityRequirement().addList(TOKEN), new SecurityRequirement().addList(SESSION)));
                refusal(operation, "401", "Nobody is signed in.");
            }
            if (required != null) {
                refusal(operation, "403", "Whoever is signed in may not do this.");
            }
            if (nothing == null) {
                refusal(operation, "429", "The account asks for too much at once; `Retry-After` says when to try again.");
            }
            if (operation.getRequestBody() != null || operation.getParameters() != null) {
                refusal(operation, "400", "The body or a parameter cannot be read.");
            }
            if (operation.getRequestBody() != null) {
                refusal(operation, "413", "The body is too large.");
            }
            if (method.hasMethodAnnotation(Recorded.class)) {
                refusal(operation, "409", "It is not possible now, as things stand; it says why.");
            }
            if (operation.getParameters() != null && operation.getParameters().stream().anyMatch(parameter -> "path".equals(parameter.getIn()))) {
                refusal(operation, "404", "There is no such thing, or it is hidden from whoever asks.");
            }
            if (operation.getParameters() != null && operation.getParameters().stream().anyMatch(parameter -> parameter.getName().startsWith("If-"))) {
                refusal(operation, "412", "It is no longer what was seen.");
            }
            refusal(operation, "422", "The request is refused; each entry says where and why.");
            refusal(operation, "500", "An unexpected error; the log of the service tells.");
            refusal(operation, "503", "The service cannot answer now; `Retry-After` says when to try again.");
            asProblems(operation);
            return operation;
        };
    }

    /** Comments have code as HTML does; descriptions as CommonMark does. */
    private static String plain(String comment) {
        return comment == null ? null : comment.replaceAll("</?code>", "`").replace("&lt;", "<").replace("&gt;", ">").replace("&amp;", "&");
    }

    @SuppressWarnings("unchecked")
    private static void kinds(Schema<?> problem) {
        ((Schema<Object>) problem.getProperties().get("type")).setExamples(Stream.of(ProblemKind.values()).map(kind -> (Object) kind.type().toString()).toList());
    }

    /** Names of methods are short, and the same in several controllers. */
    private static String operationId(HandlerMethod method) {
        String controller = method.getBeanType().getSimpleName().replace("Controller", "");
        return Character.toLowerCase(controller.charAt(0)) + controller.substring(1) + "_" + method.getMethod().getName();
    }

    private static void refusal(Operation operation, String status, String description) {
        if (!operation.getResponses().containsKey(status)) {
            operation.getResponses().addApiResponse(status, new ApiResponse().description(description));
        }
    }

    /** Whatever is refused is a problem. */
    private static void asProblems(Operation operation) {
        operation.getResponses().forEach((status, answer) -> {
            if (status.compareTo("400") >= 0) {
                answer.setContent(new Content().addMediaType(PROBLEM, new MediaType().schema(new Schema<>().$ref("#/components/schemas/Problem"))));
            }
        });
    }

    /** Answers have all their fields, null where there is nothing; requests may leave these out. */
    @SuppressWarnings("unchecked")
    private static void withAllFields(OpenAPI description) {
        Set<String> sent = new HashSet<>();
        description.getPaths().values().stream().flatMap(path -> path.readOperations().stream()).map(Operation::getRequestBody).filter(Objects::nonNull)
                .forEach(body -> references(Json31.mapper().valueToTree(body), description.getComponents().getSchemas(), sent));
        description.getComponents().getSchemas().forEach((name, schema) -> {
            if (schema.getProperties() != null && !sent.contains(name)) {
                schema.setRequired(List.copyOf(schema.getProperties().keySet()));
            }
        });
    }

    @SuppressWarnings("rawtypes")
    private static void references(JsonNode in, Map<String, Schema> schemas, Set<String> found) {
        in.findValuesAsText("$ref").stream().map(reference -> reference.substring(reference.lastIndexOf('/') + 1)).filter(found::add).map(schemas::get).filter(Objects::nonNull)
                .forEach(schema -> references(Json31.mapper().valueToTree(schema), schemas, found));
    }

    /** What {@code If-Match} is about has an entity tag. */
    private static void taggedOnes(Paths paths) {
        paths.forEach((address, path) -> {
            if (address.equals("/api/v1/previews") || path.readOperations().stream().flatMap(operation -> Optional.ofNullable(operation.getParameters()).stream().flatMap(List::stream))
                    .anyMatch(parameter -> parameter.getName().equals(HttpHeaders.IF_MATCH)) && path.getGet() != null && path.getPut() != null) {
                Stream.of(path.getGet(), path.getPut(), path.getPost()).filter(Objects::nonNull).flatMap(operation -> operation.getResponses().entrySet().stream())
                        .filter(answer -> answer.getKey().startsWith("2"))
                        .forEach(answer -> answer.getValue().addHeaderObject(HttpHeaders.ETAG, new Header().description("Its entity tag.").schema(new StringSchema())));
            }
        });
    }

    @Bean
    OpenApiCustomizer whole(Library library) {
        return description -> {
            description.setInfo(new Info().title("Rilvan").version("1").description(ABOUT));
            // Whatever address it was asked at.
            description.setServers(List.of(new Server().url("/")));
            if (description.getTags() != null) {
                description.setTags(description.getTags().stream().map(tag -> new Tag().name(tag.getName().replace(CONTROLLER, "")).description(tag.getDescription())).toList());
            }
            Components components = description.getComponents();
            components.addSecuritySchemes(TOKEN, new SecurityScheme().type(SecurityScheme.Type.HTTP).scheme("bearer").description("A token, from a sign-in (POST /api/v1/tokens) or made for a program."));
            components.addSecuritySchemes(SESSION, new SecurityScheme().type(SecurityScheme.Type.APIKEY).in(SecurityScheme.In.COOKIE).name("rilvan-session")
                    .description("The console's session; requests that change something have the header X-XSRF-TOKEN beside it."));
            withAllFields(description);
            taggedOnes(description.getPaths());
            Documents.schemas(library.catalog().versions()).forEach((name, schema) -> {
                Schema<?> made = components.getSchemas().get(name);
                if (made != null && made.getProperties() != null) {
                    throw new IllegalStateException("a record of the interface has the name of a document: " + name);
                }
                components.addSchemas(name, schema);
            });
            kinds(components.getSchemas().get("Problem"));
            // The stream of an answer is text or lines, not an object of the programming language.
            components.getSchemas().remove("SseEmitter");
            components.getSchemas().remove("StreamingResponseBody");
            components.setSchemas(new TreeMap<>(Map.copyOf(components.getSchemas())));
        };
    }
}
