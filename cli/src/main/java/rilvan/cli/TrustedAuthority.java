package rilvan.cli;

import java.io.IOException;
import java.io.InputStream;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.security.GeneralSecurityException;
import java.security.KeyStore;
import java.security.cert.Certificate;
import java.security.cert.CertificateFactory;
import javax.net.ssl.SSLContext;
import javax.net.ssl.SSLSocketFactory;
import javax.net.ssl.TrustManagerFactory;

/** Who has signed the certificate of a service, where that is nobody whom Java knows by itself: certificates in a file, as PEM (RFC 7468). */
final class TrustedAuthority {

    private TrustedAuthority() {}

    static SSLSocketFactory in(Path file) {
        try (InputStream in = Files.newInputStream(file)) {
            KeyStore trusted = KeyStore.getInstance(KeyStore.getDefaultType());
            trusted.load(null, null);
            for (Certificate certificate : CertificateFactory.getInstance("X.509").generateCertificates(in)) {
                trusted.setCertificateEntry("trusted-" + trusted.size(), certificate);
            }
            if (trusted.size() == 0) {
                throw new Failure(Failure.REFUSED, "there is no certificate in " + file);
            }
            TrustManagerFactory managers = TrustManagerFactory.getInstance(TrustManagerFactory.getDefaultAlgorithm());
            managers.init(trusted);
            SSLContext context = SSLContext.getInstance("TLS");
            context.init(null, managers.getTrustManagers(), null);
            return context.getSocketFactory();
        } catch (NoSuchFileException e) {
            throw new Failure(Failure.REFUSED, "there is no file " + file);
        } catch (IOException | GeneralSecurityException e) {
            throw new Failure(Failure.REFUSED, file + " cannot be read as certificates in PEM: " + e.getMessage());
        }
    }
}
