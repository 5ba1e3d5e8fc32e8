package rilvan.server.access;

import jakarta.servlet.DispatcherType;
import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.springframework.core.MethodParameter;
import org.springframework.http.HttpStatus;
import org.springframework.security.core.Authentication;
import org.springframework.security.core.context.SecurityContextHolder;
import org.springframework.stereotype.Component;
import org.springframework.web.bind.support.WebDataBinderFactory;
import org.springframework.web.context.request.NativeWebRequest;
import org.springframework.web.context.request.RequestAttributes;
import org.springframework.web.context.request.RequestContextHolder;
import org.springframework.web.method.HandlerMethod;
import org.springframework.web.method.support.HandlerMethodArgumentResolver;
import org.springframework.web.method.support.ModelAndViewContainer;
import org.springframework.web.servlet.HandlerInterceptor;
import org.springframework.web.servlet.HandlerMapping;
import org.springframework.web.servlet.config.annotation.InterceptorRegistry;
import org.springframework.web.servlet.config.annotation.WebMvcConfigurer;
import rilvan.server.acts.Act;
import rilvan.server.acts.ActLog;
import rilvan.server.acts.ActLog.Result;
import rilvan.server.acts.Origin;
import rilvan.server.acts.Recorded;

/** Keeps what requests do in the log of acts, from before they are held against the rules, so that refused ones are there too. */
@Component
public class RecordedRequests implements HandlerInterceptor, HandlerMethodArgumentResolver, WebMvcConfigurer {

    /** Before the rules. */
    static final int ORDER = AccessRules.ORDER - 1;
    private static final String BEGUN = RecordedRequests.class.getName() + ".begun";
    private static final String WHY = RecordedRequests.class.getName() + ".why";

    private final ActLog log;

    RecordedRequests(ActLog log) {
        this.log = log;
    }

    @Override
    public void addInterceptors(InterceptorRegistry registry) {
        registry.addInterceptor(this).order(ORDER);
    }

    @Override
    public void addArgumentResolvers(List<HandlerMethodArgumentResolver> resolvers) {
        resolvers.add(this);
    }

    /** What a refusal says; the act of the request under way is kept with it. */
    public static void refused(String why) {
        Optional.ofNullable(RequestContextHolder.getRequestAttributes()).ifPresent(request -> request.setAttribute(WHY, why, RequestAttributes.SCOPE_REQUEST));
    }

    @Override
    public boolean preHandle(HttpServletRequest request, HttpServletResponse response, Object handler) {
        if (handler instanceof HandlerMethod method && request.getDispatcherType() == DispatcherType.REQUEST) {
            Recorded recorded = method.getMethodAnnotation(Recorded.class);
            if (recorded != null) {
                Act act = new Act();
                if (!recorded.about().isEmpty() && request.getAttribute(HandlerMapping.URI_TEMPLATE_VARIABLES_ATTRIBUTE) instanceof Map<?, ?> named && !named.isEmpty()) {
                    act.about(recorded.about(), named.values().iterator().next());
                }
                request.setAttribute(BEGUN, log.begin(origin(request), recorded.value(), act));
            }
        }
        return true;
    }

    @Override
    public void afterCompletion(HttpServletRequest request, HttpServletResponse response, Object handler, Exception failure) {
        if (request.getAttribute(BEGUN) instanceof ActLog.Begun begun) {
            HttpStatus status = HttpStatus.valueOf(response.getStatus());
            Result result = failure != null || status.is5xxServerError() ? Result.FAILED : status.isError() ? Result.REFUSED : Result.DONE;
            log.end(begun, result, result == Result.DONE ? "" : request.getAttribute(WHY) instanceof String why ? why : status.getReasonPhrase());
        }
    }

    /** Where a request comes from. */
    static Origin origin(HttpServletRequest request) {
        Authentication who = SecurityContextHolder.getContext().getAuthentication();
        return new Origin(who == null ? "" : who.getName(), request.getRemoteAddr(), who != null && who.getDetails() instanceof SignIns.SignedIn signedIn ? signedIn.token() : 0, RequestNumber.present());
    }

    @Override
    public boolean supportsParameter(MethodParameter parameter) {
        return parameter.getParameterType() == Act.class;
    }

    @Override
    public Object resolveArgument(MethodParameter parameter, ModelAndViewContainer container, NativeWebRequest request, WebDataBinderFactory binders) {
        return request.getAttribute(BEGUN, RequestAttributes.SCOPE_REQUEST) instanceof ActLog.Begun begun ? begun.act() : new Act();
    }
}
