package rilvan.server.api;

import jakarta.servlet.DispatcherType;
import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import java.util.List;
import java.util.stream.Stream;
import org.springframework.core.DefaultParameterNameDiscoverer;
import org.springframework.core.MethodParameter;
import org.springframework.core.ParameterNameDiscoverer;
import org.springframework.stereotype.Component;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.method.HandlerMethod;
import org.springframework.web.servlet.HandlerInterceptor;
import org.springframework.web.servlet.config.annotation.InterceptorRegistry;
import org.springframework.web.servlet.config.annotation.WebMvcConfigurer;
import org.springframework.web.util.UriComponentsBuilder;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.server.access.AccessRules;

/** Refuses query parameters that an endpoint does not have: one that is misspelt would be left out without a word, and the answer be about something else. */
@Component
class KnownParameters implements HandlerInterceptor, WebMvcConfigurer {

    private static final ParameterNameDiscoverer NAMES = new DefaultParameterNameDiscoverer();

    @Override
    public void addInterceptors(InterceptorRegistry registry) {
        registry.addInterceptor(this).order(Integer.MAX_VALUE);
    }

    @Override
    public boolean preHandle(HttpServletRequest request, HttpServletResponse response, Object handler) {
        if (request.getQueryString() == null || request.getDispatcherType() != DispatcherType.REQUEST || !(handler instanceof HandlerMethod method)
                || !AccessRules.isOurs(method)) {
            return true;
        }
        List<String> known = Stream.of(method.getMethodParameters()).filter(parameter -> parameter.hasParameterAnnotation(RequestParam.class)).map(KnownParameters::name).sorted().toList();
        List<Problem> unknown = UriComponentsBuilder.newInstance().query(request.getQueryString()).build().getQueryParams().keySet().stream().filter(name -> !known.contains(name))
                .map(name -> new Problem("/" + name, "is no parameter of this request; " + (known.isEmpty() ? "it has none" : "it has " + String.join(", ", known)))).toList();
        if (!unknown.isEmpty()) {
            throw new ValidationFailure(unknown);
        }
        return true;
    }

    private static String name(MethodParameter parameter) {
        String given = parameter.getParameterAnnotation(RequestParam.class).name();
        parameter.initParameterNameDiscovery(NAMES);
        return given.isEmpty() ? parameter.getParameterName() : given;
    }
}
