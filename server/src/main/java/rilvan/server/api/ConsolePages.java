package rilvan.server.api;

import org.springframework.context.annotation.Configuration;
import org.springframework.web.servlet.config.annotation.ViewControllerRegistry;
import org.springframework.web.servlet.config.annotation.WebMvcConfigurer;

/** The console's own addresses all lead to its one page, so that each can be linked to. */
@Configuration
public class ConsolePages implements WebMvcConfigurer {

    @Override
    public void addViewControllers(ViewControllerRegistry pages) {
        for (String page : new String[] {"/", "/devices", "/devices/*", "/map", "/services", "/services/*", "/orders", "/orders/*", "/order", "/sign-in"}) {
            pages.addViewController(page).setViewName("forward:/index.html");
        }
    }
}
