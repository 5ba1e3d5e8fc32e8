package rilvan.server.store;

import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.List;
import org.flywaydb.core.api.migration.BaseJavaMigration;
import org.flywaydb.core.api.migration.Context;
import org.springframework.beans.factory.annotation.Qualifier;
import org.springframework.stereotype.Component;
import rilvan.core.document.SecretSeal;

/**
 * Until now a secret was stored as a digest of it, which devices were given in place of the secret. Devices have these digests as their secrets, so
 * they stay what they are, sealed wherever they are stored, until somebody writes the secret again.
 */
@Component
public final class V20__SealSecrets extends BaseJavaMigration {

    private static final String DIGEST = "\\$5\\$[0-9a-f]{64}";

    private final SecretSeal seal;

    public V20__SealSecrets(@Qualifier("sealByTheFile") SecretSeal seal) {
        this.seal = seal;
    }

    @Override
    public void migrate(Context context) throws SQLException {
        Connection connection = context.getConnection();
        for (String column : texts(connection, "select table_name || ' ' || column_name from information_schema.columns "
                + "where table_schema = current_schema() and data_type = 'text'")) {
            String table = column.substring(0, column.indexOf(' '));
            String name = column.substring(column.indexOf(' ') + 1);
            for (String digest : texts(connection, "select distinct digests.digest[1] from " + table + ", regexp_matches(" + name + ", '" + DIGEST + "', 'g') as digests (digest)")) {
                try (PreparedStatement update = connection.prepareStatement("update " + table + " set " + name + " = replace(" + name + ", ?, ?) where strpos(" + name + ", ?) > 0")) {
                    update.setString(1, digest);
                    update.setString(2, seal.seal(digest));
                    update.setString(3, digest);
                    update.executeUpdate();
                }
            }
        }
    }

    private static List<String> texts(Connection connection, String query) throws SQLException {
        List<String> texts = new ArrayList<>();
        try (PreparedStatement select = connection.prepareStatement(query); ResultSet rows = select.executeQuery()) {
            while (rows.next()) {
                texts.add(rows.getString(1));
            }
        }
        return texts;
    }
}
