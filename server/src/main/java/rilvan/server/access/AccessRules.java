package rilvan.server.access;

import jakarta.servlet.DispatcherType;
import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import java.lang.annotation.Annotation;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.stream.Collectors;
import org.springframework.beans.factory.ObjectProvider;
import org.springframework.beans.factory.SmartInitializingSingleton;
import org.springframework.core.annotation.AnnotatedElementUtils;
import org.springframework.security.core.context.SecurityContextHolder;
import org.springframework.stereotype.Component;
import org.springframework.web.bind.annotation.RequestMethod;
import org.springframework.web.method.HandlerMethod;
import org.springframework.web.servlet.HandlerInterceptor;
import org.springframework.web.servlet.config.annotation.InterceptorRegistry;
import org.springframework.web.servlet.config.annotation.WebMvcConfigurer;
import org.springframework.web.servlet.mvc.method.annotation.RequestMappingHandlerMapping;
import rilvan.server.acts.Act;
import rilvan.server.acts.ActLog;
import rilvan.server.acts.ActLog.Result;
import rilvan.server.acts.Recorded;
import rilvan.server.ops.StartRefused;

/** Holds each request against what its endpoint requires, by the roles that its sender has at that moment. */
@Component
public class AccessRules implements HandlerInterceptor, WebMvcConfigurer, SmartInitializingSingleton {

    /** Among what looks at a request before its controller does. */
    static final int ORDER = 10;
    private static final String OURS = "rilvan.";

    private final ObjectProvider<RequestMappingHandlerMapping> mappings;
    private final ActLog acts;

    AccessRules(ObjectProvider<RequestMappingHandlerMapping> mappings, ActLog acts) {
        this.mappings = mappings;
        this.acts = acts;
    }

    /** What a request asks for is not among what its sender may do. */
    public static final class NotAllowed extends RuntimeException {
        public NotAllowed(String message) {
            super(message);
        }
    }

    @Override
    public void addInterceptors(InterceptorRegistry registry) {
        registry.addInterceptor(this).order(ORDER);
    }

    @Override
    public boolean preHandle(HttpServletRequest request, HttpServletResponse response, Object handler) {
        // What goes on after a pause, or tells an error, was let in before.
        if (handler instanceof HandlerMethod method && request.getDispatcherType() == DispatcherType.REQUEST) {
            Requires required = method.getMethodAnnotation(Requires.class);
            if (required != null) {
                try {
                    hold(required);
                } catch (NotAllowed refused) {
                    // What changes something is recorded already; who looks where they may not is too.
                    if (!method.hasMethodAnnotation(Recorded.class)) {
                        acts.add(RecordedRequests.origin(request), "look", new Act().about("address", request.getRequestURI()), Result.REFUSED, refused.getMessage());
                    }
                    throw refused;
                }
            }
        }
        return true;
    }

    /** Whether an endpoint is the product's own, and not a library's. */
    public static boolean isOurs(HandlerMethod method) {
        return method.getBeanType().getName().startsWith(OURS);
    }

    private static boolean saysNone(HandlerMethod method, List<Class<? extends Annotation>> rules) {
        return rules.stream().noneMatch(rule -> AnnotatedElementUtils.hasAnnotation(method.getMethod(), rule));
    }

    private static void hold(Requires required) {
        Caller caller = Callers.present();
        Role needed = required.value();
        List<Scope> scopes = caller.scopes(needed);
        if (scopes.isEmpty()) {
            List<String> roles = Role.words(caller.grants().stream().map(Grant::role).collect(Collectors.toSet()));
            throw new NotAllowed("this needs the role " + needed.words() + "; " + caller.name() + " has " + (roles.isEmpty() ? "none" : String.join(", ", roles))
                    + (SecurityContextHolder.getContext().getAuthentication().getDetails() instanceof SignIns.SignedIn signedIn && signedIn.narrowed() ? " with this token" : "")
                    + ". Somebody who administers people can give it");
        }
        if (!required.scoped() && scopes.stream().noneMatch(Scope::isAll)) {
            throw new NotAllowed("this needs the role " + needed.words() + " for all tenants and sites; " + caller.name() + " has it " + caller.inWords(needed));
        }
    }

    /** An endpoint without a rule does not start, nor one that may change something and does not say whether that is recorded. */
    @Override
    public void afterSingletonsInstantiated() {
        Map<String, List<String>> without = new TreeMap<>();
        Map<String, List<String>> unrecorded = new TreeMap<>();
        mappings.stream().flatMap(mapping -> mapping.getHandlerMethods().entrySet().stream()).filter(each -> isOurs(each.getValue())).forEach(each -> {
            HandlerMethod method = each.getValue();
            if (saysNone(method, List.of(Requires.class, Requires.SignedIn.class, Requires.Nothing.class))) {
                without.put(method.getShortLogMessage(), List.copyOf(each.getKey().getPatternValues()));
            }
            if (!each.getKey().getMethodsCondition().getMethods().equals(Set.of(RequestMethod.GET)) && saysNone(method, List.of(Recorded.class, Recorded.Not.class))) {
                unrecorded.put(method.getShortLogMessage(), List.copyOf(each.getKey().getPatternValues()));
            }
        });
        if (!without.isEmpty()) {
            throw new StartRefused("Endpoints say nothing of who may call them: " + without, "Give each of them a rule.");
        }
        if (!unrecorded.isEmpty()) {
            throw new StartRefused("Endpoints that may change something say nothing of whether that is recorded: " + unrecorded, "Let each of them say so.");
        }
    }
}
