package rilvan.core;

import static com.tngtech.archunit.lang.syntax.ArchRuleDefinition.noClasses;

import com.tngtech.archunit.core.importer.ImportOption;
import com.tngtech.archunit.junit.AnalyzeClasses;
import com.tngtech.archunit.junit.ArchTest;
import com.tngtech.archunit.lang.ArchRule;
import com.tngtech.archunit.library.dependencies.SlicesRuleDefinition;

/** What the core knows of the world, and which of its rooms lead to which. */
@AnalyzeClasses(packages = "rilvan.core", importOptions = ImportOption.DoNotIncludeTests.class)
class ArrowsTest {

    @ArchTest
    static final ArchRule PLAIN = noClasses().should().dependOnClassesThat().resideInAnyPackage("org.springframework..", "java.sql..",
            "javax.sql..", "org.apache.ibatis..", "java.net.http..", "org.apache.sshd..", "org.opendaylight..", "com.fasterxml.jackson.databind..");

    @ArchTest
    static final ArchRule NO_CLOCK_IN_THE_TRANSACTION = noClasses().that().resideInAPackage("rilvan.core.transaction..").should()
            .dependOnClassesThat().resideInAnyPackage("java.time..", "java.util.concurrent..");

    @ArchTest
    static final ArchRule TREES_KNOW_NOTHING_ELSE = noClasses().that().resideInAPackage("rilvan.core.tree..").should()
            .dependOnClassesThat().resideInAnyPackage("rilvan.core.schema..", "rilvan.core.dialect..", "rilvan.core.plan..", "rilvan.core.transaction..");

    @ArchTest
    static final ArchRule THE_TRANSACTION_KNOWS_NO_SERVICES = noClasses().that().resideInAPackage("rilvan.core.transaction..").should()
            .dependOnClassesThat().resideInAnyPackage("rilvan.core.plan..", "rilvan.core.model..", "rilvan.core.pool..", "rilvan.core.ledger..");

    @ArchTest
    static final ArchRule NO_CIRCLES = SlicesRuleDefinition.slices().matching("rilvan.core.(*)..").should().beFreeOfCycles();
}
