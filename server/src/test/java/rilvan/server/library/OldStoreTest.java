package rilvan.server.library;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.stream.Stream;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import org.postgresql.ds.PGSimpleDataSource;
import org.springframework.jdbc.datasource.DataSourceTransactionManager;
import org.springframework.transaction.support.TransactionTemplate;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.server.TestSettings;
import rilvan.server.store.Json;
import rilvan.server.store.Releases;
import rilvan.server.store.TestDatabase;

/** A new version of Rilvan, with models of one's own beside the shipped ones, starts on a store that an earlier version has left. */
class OldStoreTest {

    @TempDir
    private Path folder;

    private static Library library(PGSimpleDataSource source, Path models) throws Exception {
        return new Library(TestDatabase.mapper(source, Releases.class), new Json(), new TransactionTemplate(new DataSourceTransactionManager(source)), TestSettings.with(models));
    }

    private static void copy(Path from, Path to) throws Exception {
        try (Stream<Path> files = Files.walk(from)) {
            for (Path file : (Iterable<Path>) files::iterator) {
                Path target = to.resolve(from.relativize(file).toString());
                if (Files.isDirectory(file)) {
                    Files.createDirectories(target);
                } else {
                    Files.copy(file, target);
                }
            }
        }
    }

    @ParameterizedTest
    @ValueSource(strings = {"V18", "V22", "V24", "V25", "V26", "V28", "V31", "V32", "V34", "V36", "V39", "V45"})
    void whatIsNewInTheFolderIsPublishedAndWhatStandsStays(String version) throws Exception {
        Path models = folder.resolve("models");
        copy(Path.of("../models"), models);
        copy(Path.of("../docs/walk-through/services/guard-line"), models.resolve("services/guard-line"));
        PGSimpleDataSource source = TestDatabase.stored(Path.of("src/test/resources/stores/" + version + ".sql.gz"));
        TestDatabase.migrate(source);
        Library library = library(source, models);
        // Only a family or a vocabulary of another version than the one in force has to be looked at first.
        assertThat(library.problems()).extracting(Problem::message).allMatch(message -> message.contains("is published and not in force yet"));
        assertThat(library.catalog().models().keySet()).contains("guard-line", "offices", "l3vpn", "l2vpn", "vpls", "tenant", "device-text");
        assertThat(library.catalog().dialects().keySet()).contains("quern", "tarn", "brae", "frr");
        long changes = library.inForce().version();
        assertThat(library(source, models).inForce().version()).isEqualTo(changes);
    }
}
