package rilvan.server.installation;

import io.micrometer.core.instrument.Gauge;
import io.micrometer.core.instrument.MeterRegistry;
import java.security.KeyStoreException;
import java.security.cert.X509Certificate;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Optional;
import org.springframework.beans.factory.annotation.Value;
import org.springframework.boot.ssl.SslBundles;
import org.springframework.core.annotation.Order;
import org.springframework.stereotype.Component;

/** When the certificate of this instance ends. */
@Component
@Order(10)
final class CertificatePart implements InstallationPart {

    private static final Duration SOON = Duration.ofDays(14);

    private final SslBundles certificates;
    private final String bundle;

    CertificatePart(SslBundles certificates, @Value("${server.ssl.bundle:}") String bundle, MeterRegistry registry) {
        this.certificates = certificates;
        this.bundle = bundle;
        Gauge.builder("rilvan.certificate.left", () -> left().map(Duration::toSeconds).map(Long::doubleValue).orElse(Double.NaN)).baseUnit("seconds")
                .description("Until this instance's certificate ends").register(registry);
    }

    @Override
    public Part look() {
        return left().map(left -> {
            String found = left.isNegative() ? "it ended " + Amount.time(-left.toSeconds()) + " ago" : "it ends in " + Amount.time(left.toSeconds());
            String advice = "put a new one into the same files; the service takes it up without a restart";
            return left.isNegative() ? Part.bad("certificate", found, advice) : left.compareTo(SOON) > 0 ? Part.well("certificate", found) : Part.toBeLookedAt("certificate", found, advice);
        }).orElseGet(() -> Part.well("certificate", "this instance has none, so TLS is with a proxy, or there is none"));
    }

    /** Until the earliest end of the certificates that this instance shows; nothing where it shows none. */
    private Optional<Duration> left() {
        if (bundle.isEmpty()) {
            return Optional.empty();
        }
        try {
            var keys = certificates.getBundle(bundle).getStores().getKeyStore();
            List<Instant> ends = new ArrayList<>();
            for (String alias : Collections.list(keys.aliases())) {
                if (keys.getCertificate(alias) instanceof X509Certificate certificate) {
                    ends.add(certificate.getNotAfter().toInstant());
                }
            }
            return ends.stream().min(Instant::compareTo).map(end -> Duration.between(Instant.now(), end));
        } catch (KeyStoreException e) {
            throw new IllegalStateException(e);
        }
    }
}
