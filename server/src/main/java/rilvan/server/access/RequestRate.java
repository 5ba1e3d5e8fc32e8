package rilvan.server.access;

import jakarta.servlet.DispatcherType;
import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import java.time.Duration;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;
import java.util.function.LongSupplier;
import org.springframework.beans.factory.annotation.Autowired;
import org.springframework.stereotype.Component;
import org.springframework.web.method.HandlerMethod;
import org.springframework.web.servlet.HandlerInterceptor;
import org.springframework.web.servlet.config.annotation.InterceptorRegistry;
import org.springframework.web.servlet.config.annotation.WebMvcConfigurer;
import rilvan.server.Settings;

/**
 * Bounds how many requests an account sends to this instance: so many a second on average, and four times as many at once after a pause. A program that has gone wild then
 * keeps nobody else waiting. It is looked at before anything is recorded, so that it fills no log either.
 */
@Component
public final class RequestRate implements HandlerInterceptor, WebMvcConfigurer {

    /** Before acts are recorded. */
    private static final int ORDER = RecordedRequests.ORDER - 1;
    private static final int AT_ONCE = 4;
    private static final int MOST_REMEMBERED = 10_000;

    private final int perSecond;
    private final LongSupplier nanos;
    private final Map<String, Allowance> allowances = new LinkedHashMap<>(16, 0.75f, true) {
        @Override
        protected boolean removeEldestEntry(Map.Entry<String, Allowance> eldest) {
            return size() > MOST_REMEMBERED;
        }
    };

    /** How many requests an account has left at a moment. */
    private record Allowance(double left, long at) {}

    @Autowired
    RequestRate(Settings settings) {
        this(settings.requestsPerSecond(), System::nanoTime);
    }

    RequestRate(int perSecond, LongSupplier nanos) {
        this.perSecond = perSecond;
        this.nanos = nanos;
    }

    /** An account sends more requests than it may. */
    public static final class TooMany extends RuntimeException {

        private final long seconds;

        TooMany(int perSecond, Duration pause) {
            super("more than " + perSecond + " requests a second from one account; wait " + Math.max(1, pause.toSeconds()) + " s");
            this.seconds = Math.max(1, pause.toSeconds());
        }

        /** After which there is room for one. */
        public long seconds() {
            return seconds;
        }
    }

    @Override
    public void addInterceptors(InterceptorRegistry registry) {
        registry.addInterceptor(this).order(ORDER);
    }

    @Override
    public boolean preHandle(HttpServletRequest request, HttpServletResponse response, Object handler) {
        if (handler instanceof HandlerMethod method && request.getDispatcherType() == DispatcherType.REQUEST && AccessRules.isOurs(method)) {
            String account = Callers.present().name();
            if (!account.isEmpty()) {
                take(account).ifPresent(pause -> {
                    throw new TooMany(perSecond, pause);
                });
            }
        }
        return true;
    }

    /** Takes one request of an account's; how long it has to wait for the next where it has none left. */
    synchronized Optional<Duration> take(String account) {
        long now = nanos.getAsLong();
        double most = (double) AT_ONCE * perSecond;
        Allowance before = allowances.getOrDefault(account, new Allowance(most, now));
        double left = Math.min(most, before.left() + (now - before.at()) / 1e9 * perSecond);
        boolean allowed = left >= 1;
        allowances.put(account, new Allowance(allowed ? left - 1 : left, now));
        return allowed ? Optional.empty() : Optional.of(Duration.ofNanos((long) ((1 - left) / perSecond * 1e9)));
    }
}
