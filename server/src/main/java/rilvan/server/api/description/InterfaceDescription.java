package rilvan.server.api.description;

import io.swagger.v3.oas.models.Components;
import io.swagger.v3.oas.models.Operation;
import io.swagger.v3.oas.models.info.Info;
import io.swagger.v3.oas.models.media.Content;
import io.swagger.v3.oas.models.media.MediaType;
import io.swagger.v3.oas.models.media.Schema;
import io.swagger.v3.oas.models.responses.ApiResponse;
import io.swagger.v3.oas.models.security.SecurityRequirement;
import io.swagger.v3.oas.models.security.SecurityScheme;
import io.swagger.v3.oas.models.servers.Server;
import io.swagger.v3.oas.models.tags.Tag;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.stream.Stream;
import org.springdoc.core.customizers.OpenApiCustomizer;
import org.springdoc.core.customizers.OperationCustomizer;
import org.springframework.context.annotation.Bean;
import org.springframework.context.annotation.Configuration;
import org.springframework.web.method.HandlerMethod;
import rilvan.server.access.Requires;
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
            if (operation.getParameters() != null && operation.getParameters().stream().anyMatch(parameter -> "path".equals(parameter.getIn()))) {
                refusal(operation, "404", "There is no such thing, or it is hidden from whoever asks.");
            }
            if (operation.getParameters() != null && operation.getParameters().stream().anyMatch(parameter -> parameter.getName().startsWith("If-"))) {
                refusal(operation, "412", "It is no longer what was seen.");
            }
            refusal(operation, "422", "The request is refused; each entry says where and why.");
            refusal(operation, "503", "The service cannot answer now; `Retry-After` says when to try again.");
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
            operation.getResponses().addApiResponse(status, new ApiResponse().description(description)
                    .content(new Content().addMediaType(PROBLEM, new MediaType().schema(new Schema<>().$ref("#/components/schemas/Problem")))));
        }
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
            Documents.schemas(library.catalog().versions()).forEach(components::addSchemas);
            kinds(components.getSchemas().get("Problem"));
            // The stream of an answer is text or lines, not an object of the programming language.
            components.getSchemas().remove("SseEmitter");
            components.getSchemas().remove("StreamingResponseBody");
            components.setSchemas(new TreeMap<>(Map.copyOf(components.getSchemas())));
        };
    }
}
