package rilvan.server.access;

import java.security.Principal;
import java.util.List;
import java.util.Optional;
import java.util.function.Supplier;
import org.springdoc.core.utils.SpringDocUtils;
import org.springframework.core.MethodParameter;
import org.springframework.security.core.Authentication;
import org.springframework.security.core.context.SecurityContextHolder;
import org.springframework.stereotype.Component;
import org.springframework.web.bind.support.WebDataBinderFactory;
import org.springframework.web.context.request.NativeWebRequest;
import org.springframework.web.method.support.HandlerMethodArgumentResolver;
import org.springframework.web.method.support.ModelAndViewContainer;
import org.springframework.web.servlet.config.annotation.WebMvcConfigurer;
import rilvan.server.acts.Act;

/** Who calls, as an argument of controllers. */
@Component
public class Callers implements HandlerMethodArgumentResolver, WebMvcConfigurer {

    static {
        // They are no parameters of requests, which the description of the interface would make of them.
        SpringDocUtils.getConfig().addRequestWrapperToIgnore(Caller.class, Act.class, Principal.class);
    }

    /** Who sends the request under way; somebody without any role where nobody is signed in. */
    public static Caller present() {
        Authentication who = SecurityContextHolder.getContext().getAuthentication();
        return who != null && who.getDetails() instanceof SignIns.SignedIn signedIn ? signedIn.caller() : new Caller("", List.of());
    }

    private final SignIns signIns;

    Callers(SignIns signIns) {
        this.signIns = signIns;
    }

    /** Who sends the request under way, asked again at any time after it: what they may do by then; absent once they are no longer signed in. */
    public Supplier<Optional<Caller>> lasting() {
        Authentication who = SecurityContextHolder.getContext().getAuthentication();
        if (who == null || !(who.getDetails() instanceof SignIns.SignedIn signedIn)) {
            return Optional::empty;
        }
        return () -> signIns.still(signedIn.token()).map(SignIns.SignedIn::caller);
    }

    @Override
    public void addArgumentResolvers(List<HandlerMethodArgumentResolver> resolvers) {
        resolvers.add(this);
    }

    @Override
    public boolean supportsParameter(MethodParameter parameter) {
        return parameter.getParameterType() == Caller.class;
    }

    @Override
    public Object resolveArgument(MethodParameter parameter, ModelAndViewContainer container, NativeWebRequest request, WebDataBinderFactory binders) {
        return present();
    }
}
