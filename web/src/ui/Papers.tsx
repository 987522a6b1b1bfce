import type { ReactNode } from "react";
import { Tab, TabList, TabPanel, Tabs } from "react-aria-components";

interface Paper<Key extends string> {
  key: Key;
  words: ReactNode;
}

/** Papers that lie over one another: one is seen, arrow keys go to the next. */
export function Papers<Key extends string>({
  label,
  papers,
  shown,
  onShow,
  className = "",
  children,
}: {
  label: string;
  papers: readonly Paper<Key>[];
  shown: Key;
  onShow: (key: Key) => void;
  /** Of the row of names. */
  className?: string;
  /** What the shown paper says. */
  children: ReactNode;
}) {
  return (
    <Tabs
      selectedKey={shown}
      onSelectionChange={(key) => onShow(key as Key)}
      className="flex min-h-0 flex-1 flex-col"
    >
      <TabList aria-label={label} className={`flex ${className}`}>
        {papers.map(({ key, words }) => (
          <Tab
            key={key}
            id={key}
            className="-mb-px cursor-pointer border-b-2 border-transparent pb-2 text-left text-soft data-[focus-visible]:outline-2 data-[hovered]:text-base-content data-[selected]:border-primary data-[selected]:font-semibold data-[selected]:text-base-content"
          >
            {words}
          </Tab>
        ))}
      </TabList>
      <TabPanel key={shown} id={shown} className="flex min-h-0 flex-1 flex-col outline-none">
        {children}
      </TabPanel>
    </Tabs>
  );
}
